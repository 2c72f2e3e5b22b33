// A run that is asked for over the API: once for each key, and with its verdict where one waits for it.
import { once } from 'node:events'
import { UniqueConstraintError } from 'sequelize'
import { RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import type { AskedRun, RunQueue } from './queue.js'

/** The one who waits longer asks again: proxies close what is silent for long. */
const MOST_WAIT_MS = 600_000
const KEY = /^[\x21-\x7e]{1,100}$/

/**
 * The run that a key has asked for already; undefined where there is none yet.
 *
 * @param key - the header `Idempotency-Key`, as the IETF's draft of that name has it
 */
export async function runAskedAs(
  projectId: number,
  key: string | undefined,
  plan: string,
): Promise<RunRow | undefined> {
  if (key === undefined) return undefined
  if (!KEY.test(key))
    throw new Problem(400, 'BAD_FIELD', 'Idempotency-Key has up to 100 characters without blanks, such as a UUID')
  const row = await RunRow.findOne({ where: { projectId, askedAs: key } })
  if (row !== null && row.planFile !== plan)
    throw new Problem(409, 'KNOWN', `this Idempotency-Key has asked for a run of ${row.planFile} already`)
  return row ?? undefined
}

/** Queues a run; of two who ask with one key at once, both get the same. */
export async function askOnce(
  queue: RunQueue,
  asked: AskedRun,
  by: string,
  { labels, key }: { labels: Record<string, string>; key: string | undefined },
): Promise<RunRow> {
  try {
    return await queue.ask(asked, by, labels, { askedAs: key ?? null })
  } catch (error) {
    const known =
      error instanceof UniqueConstraintError ? await runAskedAs(asked.projectId, key, asked.plan.file) : undefined
    if (known === undefined) throw error
    return known
  }
}

/** Waits until a run has ended, or for ten minutes, or until the one who asked is gone. */
export async function untilEnded(queue: RunQueue, row: RunRow, gone: AbortSignal): Promise<void> {
  const done = new AbortController()
  const signal = AbortSignal.any([gone, done.signal, AbortSignal.timeout(MOST_WAIT_MS)])
  for (;;) {
    // Listened to before it is looked at: nothing falls in between.
    const changed = once(queue.events, row.id, { signal }).catch(() => undefined)
    await row.reload()
    if (row.state === 'ended' || signal.aborted) break
    await changed
  }
  done.abort()
}
