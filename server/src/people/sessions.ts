// Sessions and tokens that end while something is still open for them: the one who has signed out hears nothing more.
import { EventEmitter } from 'node:events'
import type { Request } from 'express'
import { Op } from 'sequelize'
import { SessionRow, TokenRow } from '../database/models.js'
import { visitorIn } from './access.js'
import { hasIdleLimit, isIdle } from './idle.js'

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

/** A session that rests too long is looked for that often. */
const LOOK_MS = 5000
/** Longer than a timer can wait; a stream does not last as long. */
const MOST_WAIT_MS = 2 ** 31 - 1

/** Calls back when the session or the token of a request ends, or is over. Gives what stops listening. */
export function whenAccessEnds(request: Request, act: () => void): () => void {
  const visitor = visitorIn(request)
  const by = visitor?.session ?? visitor?.token
  if (by === undefined) return () => undefined
  ended.once(by.hash, act)
  const timer = setTimeout(act, Math.min(MOST_WAIT_MS, by.expiresAt.getTime() - Date.now()))
  const looking = visitor?.session === undefined || !hasIdleLimit(request.app) ? undefined : setInterval(look, LOOK_MS)
  function look(): void {
    void SessionRow.findByPk(by?.hash).then((session) => {
      if (session === null || isIdle(request.app, session)) act()
    })
  }
  return () => {
    clearTimeout(timer)
    clearInterval(looking)
    ended.off(by.hash, act)
  }
}
