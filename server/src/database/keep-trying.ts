// Writes that must not be lost: tried again for as long as the database is away or has no room.
import pRetry, { AbortError } from 'p-retry'
import { log } from '../observability/log.js'
import { isPassing } from './away.js'

const FIRST_WAIT_MS = 100
const LONGEST_WAIT_MS = 5000

/**
 * Does something with the database, again and again while that cannot be reached, or its disk is full.
 *
 * @param signal - gives it up
 * @throws what is wrong where trying again would not help
 */
export function keepTrying<T>(task: () => Promise<T>, signal: AbortSignal): Promise<T> {
  return pRetry(
    async () => {
      try {
        return await task()
      } catch (error) {
        if (isPassing(error)) throw error
        throw new AbortError(error instanceof Error ? error : new Error(String(error)))
      }
    },
    {
      retries: Infinity,
      factor: 2,
      minTimeout: FIRST_WAIT_MS,
      maxTimeout: LONGEST_WAIT_MS,
      signal,
      onFailedAttempt: ({ error, attemptNumber }) => {
        if (attemptNumber === 1) log.warn({ err: error }, 'the database is away or full; trying again')
      },
    },
  )
}
