// Who has a hand in a change: by the project's repository, where that knows it, else by who reported its runs and by
// what pushes say.
import { PushRow, RunRow, type PersonRow } from '../database/models.js'
import { gitAt } from '../merges/git-at.js'
import { broughtBy } from '../merges/rule.js'
import type { WorkingCopy } from '../projects/working-copy.js'

/** Why somebody may not open a stage that takes the approval of another administrator; undefined where they may. */
export async function whyOwnChange(
  person: PersonRow,
  projectId: number,
  own: WorkingCopy,
  commit: string,
): Promise<string | undefined> {
  const known = await own.commits.commitOf(commit)
  if (known !== undefined) {
    const git = gitAt(own.root)
    const [, parent] = (await git('rev-list', '--parents', '--max-count=1', known)).split(' ')
    // Of a merge all that came in by it; of a first commit, itself.
    const { people, emails } = await broughtBy(git, projectId, parent, known)
    return people.has(person.id) || emails.has(person.email.toLowerCase()) ? 'you have a hand in the change' : undefined
  }
  const where = { projectId, commit }
  const [runs, pushes] = await Promise.all([RunRow.findAll({ where }), PushRow.findAll({ where })])
  if (runs.some(({ startedBy }) => startedBy === person.name)) return 'you reported runs of the change'
  const names = pushes.map(({ who }) => who.toLowerCase())
  if (names.some((who) => who.includes(person.email.toLowerCase()) || who.includes(person.name.toLowerCase())))
    return 'the push of the change names you'
  return runs.length + pushes.length === 0 ? 'nothing is known of who made the change' : undefined
}
