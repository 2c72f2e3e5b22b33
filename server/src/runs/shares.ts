// Links by which anyone who has one reads a run, without an account, until a day. A token is told once; its hash is
// kept.
import { EventEmitter } from 'node:events'
import { Op } from 'sequelize'
import type { Share } from '@jolt-gate/core/api'
import { RunRow, ShareRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { hashToken, newToken } from '../people/passwords.js'

const DAY_MS = 86_400_000
const MOST_SHARES = 50
/** A timer takes no longer time. */
const LONGEST_WAIT_MS = 2_000_000_000

/** Told by the number of a link that was revoked. */
const ended = new EventEmitter<Record<string, []>>().setMaxListeners(0)

const lineOf = ({ id, by, at, until }: ShareRow): Share => ({
  id,
  by,
  at: at.toISOString(),
  until: until.toISOString(),
})

/** Links that have not ended. */
export async function sharesOf(runId: string): Promise<Share[]> {
  const where = { runId, until: { [Op.gt]: new Date() } }
  return (await ShareRow.findAll({ where, order: [['at', 'DESC']] })).map(lineOf)
}

export async function shareRun(runId: string, by: string, days: number): Promise<Share & { token: string }> {
  await ShareRow.destroy({ where: { runId, until: { [Op.lte]: new Date() } } })
  if ((await ShareRow.count({ where: { runId } })) >= MOST_SHARES)
    throw new Problem(409, 'TOO_MANY', `a run has at most ${String(MOST_SHARES)} links: end some first`)
  const { token, hash } = newToken('jolt_share')
  const at = new Date()
  const until = new Date(at.getTime() + days * DAY_MS)
  const row = await ShareRow.create({ runId, hash, by: by.slice(0, 200), at, until })
  return { ...lineOf(row), token }
}

/** Ends a link at once, and what is open by it. */
export async function revokeShare(runId: string, id: string): Promise<void> {
  const row = /^\d{1,9}$/.test(id) ? await ShareRow.findOne({ where: { id: Number(id), runId } }) : null
  if (row === null) throw new Problem(404, 'NO_SHARE', 'there is no such link to this run')
  await row.destroy()
  ended.emit(String(row.id))
}

/** The run that a token opens. Whether a link never was, has ended or was revoked is not said. */
export async function sharedBy(token: string): Promise<{ run: RunRow; share: ShareRow }> {
  const share = await ShareRow.findOne({ where: { hash: hashToken(token), until: { [Op.gt]: new Date() } } })
  const run = share === null ? null : await RunRow.findByPk(share.runId)
  if (share === null || run === null)
    throw new Problem(404, 'NO_SHARE', 'this link does not open anything: it has ended, was revoked, or never was one')
  return { run, share }
}

/** Calls back when a link ends. Gives what stops listening. */
export function whenShareEnds({ id, until }: ShareRow, act: () => void): () => void {
  const timer = setTimeout(act, Math.min(LONGEST_WAIT_MS, Math.max(0, until.getTime() - Date.now())))
  ended.once(String(id), act)
  return () => {
    clearTimeout(timer)
    ended.off(String(id), act)
  }
}
