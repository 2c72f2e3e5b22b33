// Sessions and tokens that end while something is still open for them: the one who has signed out hears nothing more.
import { EventEmitter } from 'node:events'
import type { Request } from 'express'
import { Op } from 'sequelize'
import { SessionRow, TokenRow } from '../database/models.js'
import { visitorIn } from './access.js'

const ended = new EventEmitter<Record<string, []>>().setMaxListeners(0)

/** Ends a session, and what is open for it. */
export async function endSession(session: SessionRow): Promise<void> {
  await session.destroy()
  ended.emit(session.hash)
}

/** Ends all sessions of a person but one. */
export async function endSessionsOf(personId: number, kept?: SessionRow): Promise<void> {
  const but = kept === undefined ? {} : { hash: { [Op.ne]: kept.hash } }
  for (const session of await SessionRow.findAll({ where: { personId, ...but } })) await endSession(session)
}

/** Ends tokens of a person, and what is open for them; says how many. */
export async function endTokensOf(personId: number, only: { id?: number } = {}): Promise<number> {
  const tokens = await TokenRow.findAll({ where: { personId, ...only } })
  for (const token of tokens) {
    await token.destroy()
    ended.emit(token.hash)
  }
  return tokens.length
}

/** Ends what is open for a person, whose role is another one now; pages ask anew, and are told what they may see. */
export async function endStreamsOf(personId: number): Promise<void> {
  const where = { personId }
  const [sessions, tokens] = await Promise.all([SessionRow.findAll({ where }), TokenRow.findAll({ where })])
  for (const { hash } of [...sessions, ...tokens]) ended.emit(hash)
}

/** Longer than a timer can wait; a stream does not last as long. */
const MOST_WAIT_MS = 2 ** 31 - 1

/** Calls back when the session or the token of a request ends, or is over. Gives what stops listening. */
export function whenAccessEnds(request: Request, act: () => void): () => void {
  const visitor = visitorIn(request)
  const by = visitor?.session ?? visitor?.token
  if (by === undefined) return () => undefined
  ended.once(by.hash, act)
  const timer = setTimeout(act, Math.min(MOST_WAIT_MS, by.expiresAt.getTime() - Date.now()))
  return () => {
    clearTimeout(timer)
    ended.off(by.hash, act)
  }
}
