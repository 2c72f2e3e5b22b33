// The rule of a protected branch: it goes on only by a merge of what somebody has approved who has no hand in it.
import { Op } from 'sequelize'
import { MergeApprovalRow, PersonRow, SigningKeyRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { roleIn } from '../people/roles.js'
import { handsOf } from '../projects/hands.js'
import type { Git } from './git-at.js'
import { keyOfCommit } from './ssh-signature.js'

/** Of one merge. */
export const MOST_COMMITS = 5000

export const TOO_MANY = `more than ${String(MOST_COMMITS)} commits are not merged at once`

/** What a branch would bring to another, and who has a hand in it. */
export interface Brought {
  commits: string[]
  /** In lower case, as the commits name them. */
  emails: ReadonlySet<string>
  people: ReadonlySet<number>
  /** Whether somebody is known to have brought each of them. */
  isWhole: boolean
}

/**
 * @param from - undefined where there is nothing before
 * @throws Problem where there are too many commits to look at
 */
export async function broughtBy(git: Git, projectId: number, from: string | undefined, to: string): Promise<Brought> {
  const most = `--max-count=${String(MOST_COMMITS + 1)}`
  const listed = await git('log', most, '--format=%H%x00%ae%x00%ce', from === undefined ? to : `${from}..${to}`, '--')
  const lines = listed === '' ? [] : listed.split('\n').map((line) => line.split('\0'))
  if (lines.length > MOST_COMMITS) throw new Problem(409, 'TOO_MANY', TOO_MANY)
  const commits = lines.flatMap(([commit]) => commit ?? [])
  const emails = new Set(lines.flatMap(([, author = '', committer = '']) => [author, committer]).map(plain))
  return { commits, emails, ...(await handsOf(projectId, commits)) }
}
const plain = (email: string): string => email.trim().toLowerCase()

/** Why somebody may not approve what a branch brings; undefined where they may. */
export async function whyNoApproval(
  person: PersonRow,
  projectId: number,
  brought: Brought,
): Promise<string | undefined> {
  if (brought.people.has(person.id)) return 'it has commits that you brought'
  if (brought.emails.has(plain(person.email))) return 'it has commits in your name'
  const role = await roleIn(person, projectId)
  if (role !== 'author' && role !== 'administrator') return 'authors and administrators may approve it'
  if (!brought.isWhole && role !== 'administrator')
    return 'who brought some of its commits is unknown: an administrator may approve it'
  return undefined
}

/** Approvals of a commit, each with the reason why it does not count. */
export async function approvalsOf(
  projectId: number,
  commit: string,
  brought: Brought,
): Promise<{ by: string; at: Date; why: string | undefined }[]> {
  const rows = await MergeApprovalRow.findAll({ where: { projectId, commit }, order: [['at', 'ASC']] })
  const people = await PersonRow.findAll({ where: { id: { [Op.in]: rows.map(({ personId }) => personId) } } })
  const told = []
  for (const { by, at, personId } of rows) {
    const person = people.find(({ id }) => id === personId)
    const why = person === undefined ? 'they are here no more' : await whyNoApproval(person, projectId, brought)
    told.push({ by, at, why })
  }
  return told
}

/**
 * Why a protected branch may not go on; undefined where it may: to a commit that is approved, or to a merge of one that
 * holds nothing beside. A merge is approved, too, by who signs it.
 *
 * @param pusher - who brings it: a signature counts as theirs alone, since people sign merges for branches of their
 * own, too; undefined where it was merged elsewhere
 */
export async function whyNotGoOn(
  git: Git,
  projectId: number,
  { from, to, pusher }: { from: string; to: string; pusher?: number },
): Promise<string | undefined> {
  if (from === to) return undefined
  const [, first, second, ...more] = (await git('rev-list', '--parents', '--max-count=1', to)).split(' ')
  // What it stands at counts for admissions, so it stands at nothing in between that nobody has looked at.
  if (first !== from) return `${to.slice(0, 7)} is no single step from ${from.slice(0, 7)}: merge it with --no-ff`
  const isMerge = second !== undefined && more.length === 0
  const asked = isMerge ? second : to
  const brought = await broughtBy(git, projectId, from, asked)
  const approvals = await approvalsOf(projectId, asked, brought)
  const signer = isMerge ? await signerOf(git, to) : null
  const isTheirs = signer !== null && (pusher === undefined || pusher === signer.id)
  const isSigned = isTheirs && (await whyNoApproval(signer, projectId, brought)) === undefined
  if (!isSigned && !approvals.some(({ why }) => why === undefined)) {
    const [unfit] = approvals
    const but = unfit === undefined ? '' : ` (${unfit.by} may not: ${unfit.why ?? ''})`
    return `${asked.slice(0, 7)} needs the approval of somebody who has no hand in it${but}`
  }
  if (!isMerge || (await treeOfMerge(git, from, asked)) === (await git('rev-parse', `${to}^{tree}`))) return undefined
  return `the merge ${to.slice(0, 7)} holds more than was approved: merge without changes, or have them approved on the branch`
}

/** The person whose registered key a commit is signed with. */
async function signerOf(git: Git, commit: string): Promise<PersonRow | null> {
  const publicKey = keyOfCommit(await git.whole('cat-file', 'commit', commit))
  const key = publicKey === undefined ? null : await SigningKeyRow.findOne({ where: { publicKey } })
  return key === null ? null : PersonRow.findByPk(key.personId)
}

/** What Git makes of both without a person; undefined where they are in conflict. */
export async function treeOfMerge(git: Git, from: string, to: string): Promise<string | undefined> {
  try {
    return (await git('merge-tree', '--write-tree', from, to)).split('\n')[0]
  } catch {
    return undefined
  }
}
