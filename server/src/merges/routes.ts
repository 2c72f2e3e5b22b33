// Branches on their way into the default branch: what they change, who approves, the merge; and its protection.
import { ROUTES, type MergeLine } from '@jolt-gate/core/api'
import { Router } from 'express'
import { MergeApprovalRow, type PersonRow, type ProjectRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { gitAt, type Git } from './git-at.js'
import { mergeBranch, tipOf } from './merge.js'
import { approvalsOf, broughtBy, MOST_COMMITS, TOO_MANY, treeOfMerge, whyNoApproval } from './rule.js'

const MOST_BRANCHES = 30
const MOST_FILES = 50
const MOST_CHANGES = 200_000

// eslint-disable-next-line max-lines-per-function -- one route after another
export function mergeRoutes(): Router {
  const routes = Router()

  serve(routes, ROUTES.merges, async ({ person, params }) => {
    const { project, own } = await projectOf(params.project)
    const { branch: defaultBranch, commit: head } = await own.head()
    const { isProtected } = project
    if (head === null) return { isProtected, defaultBranch, merges: [] }
    const git = gitAt(own.root)
    const named = await own.commits.branches()
    const tips = new Map((await own.commits.tips()).map(({ branch, commit }) => [branch, commit]))
    const merges: MergeLine[] = []
    for (const branch of named) {
      const commit = tips.get(branch)
      if (branch === defaultBranch || commit === undefined || merges.length >= MOST_BRANCHES) continue
      const commits = Number(await git('rev-list', '--count', `${head}..${commit}`, '--'))
      if (commits > MOST_COMMITS) merges.push({ ...(await namedLine(own, branch, commit)), commits, ...TOO_LARGE })
      else if (commits > 0) merges.push(await lineOf({ project, own, git, head, person }, branch, commit))
    }
    return { isProtected, defaultBranch, merges }
  })

  serve(routes, ROUTES.mergeChanges, async ({ params, query: { branch } }) => {
    const { own } = await projectOf(params.project)
    const commit = await tipOf(own, branch)
    // From where both parted: what came to the default branch since is none of its changes.
    const changes = await gitAt(own.root)(
      'diff',
      '--no-color',
      '--no-ext-diff',
      '--no-textconv',
      `HEAD...${commit}`,
      '--',
    ).catch(() => {
      throw new Problem(413, 'TOO_LARGE', `${branch} changes too much to be shown: look at it with Git`)
    })
    return { commit, changes: changes.slice(0, MOST_CHANGES), isCut: changes.length > MOST_CHANGES }
  })

  serve(routes, ROUTES.approveMerge, async ({ person, params, body: { branch, commit } }) => {
    const { project, own } = await projectOf(params.project)
    await tipOf(own, branch, commit)
    const git = gitAt(own.root)
    const head = await git('rev-parse', 'HEAD')
    const brought = await broughtBy(git, project.id, head, commit)
    if (brought.commits.length === 0) throw new Problem(409, 'MERGED', `${branch} is merged already`)
    const why = await whyNoApproval(person, project.id, brought)
    if (why !== undefined) throw new Problem(403, 'OWN_CHANGE', `you may not approve ${branch}: ${why}`)
    const one = { projectId: project.id, commit, personId: person.id }
    const [, isNew] = await MergeApprovalRow.findOrCreate({
      where: one,
      defaults: { ...one, by: person.name, at: new Date() },
    })
    if (isNew) await noteOf(person, 'approved a merge', `${branch} at ${commit.slice(0, 12)}`, project.id)
    return lineOf({ project, own, git, head, person }, branch, commit)
  })

  serve(routes, ROUTES.merge, async ({ person, params, body }) => {
    const { project, own } = await projectOf(params.project)
    const head = await mergeBranch(project, own, body, person)
    await noteOf(person, 'merged a branch', `${body.branch} at ${body.commit.slice(0, 12)}`, project.id)
    return head
  })

  serve(routes, ROUTES.protect, async ({ person, params, body: { isProtected } }) => {
    const { project } = await projectOf(params.project)
    if (project.isProtected === isProtected) return undefined
    await project.update({ isProtected })
    await noteOf(
      person,
      isProtected ? 'protected the default branch' : 'ended the protection of the default branch',
      '',
      project.id,
    )
    return undefined
  })

  return routes
}

interface Asked {
  project: ProjectRow
  own: WorkingCopy
  git: Git
  head: string
  person: PersonRow
}

async function lineOf({ project, own, git, head, person }: Asked, branch: string, commit: string): Promise<MergeLine> {
  const brought = await broughtBy(git, project.id, head, commit)
  const approvals = await approvalsOf(project.id, commit, brought)
  const listed = await git('diff', '--name-only', '-z', `${head}...${commit}`, '--')
  const files = listed.split('\0').filter((path) => path !== '')
  return {
    ...(await namedLine(own, branch, commit)),
    ...{ fileCount: files.length, files: files.slice(0, MOST_FILES) },
    commits: brought.commits.length,
    isInConflict: (await treeOfMerge(git, head, commit)) === undefined,
    mayGoOn: !project.isProtected || approvals.some(({ why }) => why === undefined),
    approvals: approvals.map(({ by, at, why }) => ({ by, at: at.toISOString(), why: why ?? null })),
    whyNoApproval: (await whyNoApproval(person, project.id, brought)) ?? null,
  }
}

async function namedLine(own: WorkingCopy, branch: string, commit: string) {
  const [known] = await own.commits.named([commit])
  return { branch, commit, message: known?.message ?? '', who: known?.who ?? '', at: known?.at ?? '' }
}
/** Of a branch with so much that nobody looks through it. */
const TOO_LARGE = {
  ...{ files: [], fileCount: 0, isInConflict: false, mayGoOn: false, approvals: [] },
  whyNoApproval: TOO_MANY,
}
