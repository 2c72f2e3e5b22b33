// Sessions that end while something is still open for them: the one who has signed out hears nothing more.
import { EventEmitter } from 'node:events'
import type { Request } from 'express'
import { Op } from 'sequelize'
import { SessionRow } from '../database/models.js'
import { sessionOf } from './access.js'

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

/** Ends what is open for a person, whose role is another one now; pages ask anew, and are told what they may see. */
export async function endStreamsOf(personId: number): Promise<void> {
  for (const { hash } of await SessionRow.findAll({ where: { personId }, attributes: ['hash'] })) ended.emit(hash)
}

/** Calls back when the session of a request ends. Gives what stops listening; a token has no session to end. */
export function whenSessionEnds(request: Request, act: () => void): () => void {
  const hash = sessionOf(request)?.hash
  if (hash === undefined) return () => undefined
  ended.once(hash, act)
  return () => ended.off(hash, act)
}
