// Who brought which commit. The name in a commit is its writer's to choose; who pushed or saved it the server knows.
import { Op } from 'sequelize'
import { CommitHandRow } from '../database/models.js'

/** Of one push; who brought more is not known of the rest. */
export const MOST_HANDS = 20_000
const AT_ONCE = 1000

/** Notes who brought commits; whoever was first stays. */
export async function noteHands(projectId: number, personId: number, commits: readonly string[]): Promise<void> {
  const rows = commits.slice(0, MOST_HANDS).map((commit) => ({ projectId, commit, personId }))
  for (let from = 0; from < rows.length; from += AT_ONCE)
    await CommitHandRow.bulkCreate(rows.slice(from, from + AT_ONCE), { ignoreDuplicates: true })
}

/** The people who brought commits; `isWhole` where that is known of each. */
export async function handsOf(
  projectId: number,
  commits: readonly string[],
): Promise<{ people: ReadonlySet<number>; isWhole: boolean }> {
  const people = new Set<number>()
  let known = 0
  for (let from = 0; from < commits.length; from += AT_ONCE) {
    const some = { [Op.in]: commits.slice(from, from + AT_ONCE) }
    const rows = await CommitHandRow.findAll({ where: { projectId, commit: some } })
    known += rows.length
    for (const { personId } of rows) people.add(personId)
  }
  return { people, isWhole: known === commits.length }
}
