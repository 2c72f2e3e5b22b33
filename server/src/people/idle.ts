// Sessions that end when nobody has done anything for a while. What a page asks by itself, to be up to date, is nothing
// that somebody does: pages say which requests a person is behind.
import { ACTIVE_HEADER } from '@jolt-gate/core/api'
import type { Application, Request } from 'express'
import type { SessionRow } from '../database/models.js'

/** A session is written to no more often than that. */
const NOTED_EVERY_MS = 20_000

const LIMITS = new WeakMap<Application, number>()
/** Gives an application how long a session may rest. */
export function useIdleLimit(app: Application, idleMs: number): void {
  LIMITS.set(app, idleMs)
}
export const hasIdleLimit = (app: Application): boolean => LIMITS.has(app)

export function isIdle(app: Application, { usedAt }: SessionRow): boolean {
  const limit = LIMITS.get(app)
  return limit !== undefined && usedAt != null && Date.now() - usedAt.getTime() > limit
}

/** Notes that a person has done something. */
export async function noteUse(request: Request, session: SessionRow): Promise<void> {
  const limit = LIMITS.get(request.app)
  if (limit === undefined) return
  const isByPerson = request.get(ACTIVE_HEADER) !== undefined || !['GET', 'HEAD'].includes(request.method)
  const since = Date.now() - (session.usedAt?.getTime() ?? 0)
  if (isByPerson && since > Math.min(NOTED_EVERY_MS, limit / 10)) await session.update({ usedAt: new Date() })
}
