// Merges into the branch of a project's own files.
import type { PersonRow, ProjectRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { noteHands } from '../projects/hands.js'
import type { CommitInfo, WorkingCopy } from '../projects/working-copy.js'
import { gitAt } from './git-at.js'
import { treeOfMerge, whyNotGoOn } from './rule.js'

/** Refuses to go on where the default branch is protected, and the rule is not kept. */
export async function refuseUnapproved(
  project: ProjectRow,
  { root }: WorkingCopy,
  from: string,
  to: string,
): Promise<void> {
  if (!project.isProtected) return
  const why = await whyNotGoOn(gitAt(root), project.id, { from, to })
  if (why !== undefined) throw new Problem(403, 'PROTECTED', `the default branch is protected: ${why}`)
}

/** Where a branch stands; refused where that is elsewhere than it was looked at. */
export async function tipOf(own: WorkingCopy, branch: string, lookedAt?: string): Promise<string> {
  const tip = (await own.commits.tips()).find((one) => one.branch === branch)?.commit
  if (tip === undefined) throw new Problem(404, 'NO_BRANCH', `there is no branch ${branch}`)
  if (lookedAt !== undefined && tip !== lookedAt)
    throw new Problem(409, 'CHANGED', `${branch} has gone on to ${tip.slice(0, 7)} since you looked at it`)
  return tip
}

/** Merges a branch, by a commit with both as its parents: of the default branch the first is where it stood before. */
export function mergeBranch(
  project: ProjectRow,
  own: WorkingCopy,
  { branch, commit }: { branch: string; commit: string },
  person: PersonRow,
): Promise<CommitInfo> {
  return own.alone(async () => {
    const tip = await tipOf(own, branch, commit)
    const { name, email } = person
    const git = gitAt(own.root, {
      ...{ GIT_AUTHOR_NAME: name, GIT_AUTHOR_EMAIL: email, GIT_COMMITTER_NAME: name, GIT_COMMITTER_EMAIL: email },
    })
    const from = await git('rev-parse', 'HEAD')
    if ((await git('rev-list', '--count', `${from}..${tip}`)) === '0')
      throw new Problem(409, 'MERGED', `${branch} is merged already`)
    const tree = await treeOfMerge(git, from, tip)
    if (tree === undefined)
      throw new Problem(409, 'CONFLICT', `${branch} changes lines that were changed here, too: merge them there first`)
    const made = await git('commit-tree', tree, '-p', from, '-p', tip, '-m', `Merge branch ${branch}`)
    await refuseUnapproved(project, own, from, made)
    await noteHands(project.id, person.id, [made])
    await own.forward(made)
    return own.head()
  })
}
