// Pushes to repositories elsewhere: another Git server or a pipeline tells of them, signed; their stages run the plans
// of the project's own branch against the target, for the change that was pushed.
import { Op } from 'sequelize'
import { PushRow, PushSourceRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { CHANGES } from '../events/changes.js'
import type { NamedCommit } from '../projects/commits.js'
import type { Signing } from './signing.js'

export interface ReceivedPush {
  repository: string
  ref: string
  commit: string
  message?: string | undefined
  author?: string | undefined
}

/** Of more at once, the one who tells is wrong. */
const MOST_UNBEGUN = 100
const NO_COMMIT = /^0+$/

/**
 * Takes a push that is signed with the secret of its repository.
 *
 * @param body - as it came: it is what was signed
 * @returns its branch; null where it is of a tag, or of a branch that was deleted, and begins nothing
 */
export async function takePush(
  signing: Signing,
  projectId: number,
  push: ReceivedPush,
  body: Buffer,
  headers: Readonly<Record<string, string>>,
): Promise<string | null> {
  const { repository, ref, commit } = push
  const source = await PushSourceRow.findOne({ where: { projectId, repository } })
  const proof = source === null ? undefined : signing.with(projectId, source.sealed)
  try {
    if (source === null || proof === undefined) throw new Error('no such source')
    proof.verify(body, headers)
  } catch {
    // The same words for whatever is wrong: who may not tell is not helped on.
    throw new Problem(
      401,
      'BAD_SIGNATURE',
      'the push is not signed with the secret of a repository of this project (Standard Webhooks), or more than five minutes ago',
    )
  }
  const branch = ref.startsWith('refs/tags/') ? null : ref.replace(/^refs\/heads\//, '')
  if (branch === null || NO_COMMIT.test(commit)) return null
  const messageId = (headers['webhook-id'] ?? '').slice(0, 100)
  if ((await PushRow.count({ where: { projectId, isBegun: false } })) >= MOST_UNBEGUN)
    throw new Problem(409, 'QUEUE_FULL', `${String(MOST_UNBEGUN)} pushes wait already`)
  const [message = ''] = (push.message ?? '').split('\n')
  const [, isNew] = await PushRow.findOrCreate({
    where: { sourceId: source.id, messageId },
    defaults: {
      ...{ sourceId: source.id, projectId, messageId, branch, commit, at: new Date(), isBegun: false },
      ...{ message: message.slice(0, 300), who: (push.author ?? '').slice(0, 200) },
    },
  })
  if (isNew) CHANGES.emit('project', projectId)
  return branch
}

/** Where a branch of a repository elsewhere stands, as the last push said. */
export async function tipElsewhere(sourceId: number, branch: string | null): Promise<string | undefined> {
  if (branch === null) return undefined
  return (await PushRow.findOne({ where: { sourceId, branch }, order: [['id', 'DESC']] }))?.commit
}

/** Commits elsewhere, as those who told of them describe them. */
export async function pushesNamed(projectId: number, commits: readonly string[]): Promise<NamedCommit[]> {
  const rows = await PushRow.findAll({
    where: { projectId, commit: { [Op.in]: [...commits] } },
    order: [['id', 'DESC']],
  })
  return rows.map(({ commit, who, at, message }) => ({ commit, who, at: at.toISOString(), message }))
}
