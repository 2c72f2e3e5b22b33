// Writes that must not be lost: tried again for as long as the database is away.
import pRetry, { AbortError } from 'p-retry'
import { BaseError, ConnectionError, DatabaseError } from 'sequelize'
import { log } from '../http/log.js'

const FIRST_WAIT_MS = 100
const LONGEST_WAIT_MS = 5000

/**
 * Does something with the database, again and again while that cannot be reached.
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
        if (isAway(error)) throw error
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
        if (attemptNumber === 1) log.warn({ err: error }, 'the database is away; trying again')
      },
    },
  )
}

/** Whether an error says that the database cannot be reached, rather than that it refuses. */
function isAway(error: unknown): boolean {
  if (error instanceof ConnectionError) return true
  if (!(error instanceof DatabaseError || error instanceof BaseError)) return false
  const original: unknown = 'original' in error ? error.original : undefined
  if (typeof original !== 'object' || original === null) return false
  // Class 08 of the SQL standard is what concerns the connection; `fatal` is the connector's word for the same.
  const state = 'sqlState' in original ? String(original.sqlState) : ''
  return state.startsWith('08') || ('fatal' in original && original.fatal === true)
}
