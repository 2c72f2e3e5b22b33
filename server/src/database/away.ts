// Whether the database is away, full, or refuses.
import { BaseError, ConnectionError } from 'sequelize'

/** Whether an error is of the state the database is in, not of what it was asked: later it may be done. */
export function isPassing(error: unknown): boolean {
  return isAway(error) || isFull(error) || isContended(error) || isTooLong(error)
}

/** Whether an error says that the database cannot be reached, rather than that it refuses. */
export function isAway(error: unknown): boolean {
  if (error instanceof ConnectionError) return true
  const original = originalOf(error)
  if (original === undefined) return false
  // Class 08 of the SQL standard is what concerns the connection; `fatal` is the connector's word for the same.
  const state = 'sqlState' in original ? String(original.sqlState) : ''
  return state.startsWith('08') || ('fatal' in original && original.fatal === true)
}

/**
 * MariaDB's errors of a disk or a table that takes no more: 3 EE_WRITE, 20 EE_DISK_FULL, 1021 ER_DISK_FULL, 1026
 * ER_ERROR_ON_WRITE, 1114 ER_RECORD_FILE_FULL; of 1030 ER_GET_ERRNO those that name the system's error 28, ENOSPC.
 */
const FULL = [3, 20, 1021, 1026, 1114]
const OF_THE_SYSTEM = 1030
const REFUSED = [1044, 1045, 1698]
/** Another transaction was in the way: 1205 ER_LOCK_WAIT_TIMEOUT, 1213 ER_LOCK_DEADLOCK. */
const CONTENDED = [1205, 1213]
/** It took longer than a statement may: 1969 ER_STATEMENT_TIMEOUT. */
const TOO_LONG = 1969

/** Whether an error says that there is no such database: 1049 ER_BAD_DB_ERROR. */
export const isUnknown = (error: unknown): boolean => numberOf(error) === 1049

/** Whether an error says that the account may not do this: 1044 and 1045 ER_ACCESS_DENIED_ERROR, 1698. */
export function isRefused(error: unknown): boolean {
  const number = numberOf(error)
  return number !== undefined && REFUSED.includes(number)
}

/** Whether an error says that there is no room left. */
export function isFull(error: unknown): boolean {
  const number = numberOf(error)
  if (number === OF_THE_SYSTEM) return error instanceof Error && /\b28\b|No space left/.test(error.message)
  return number !== undefined && FULL.includes(number)
}

/** Whether an error says that a statement was ended because it took too long. */
export const isTooLong = (error: unknown): boolean => numberOf(error) === TOO_LONG

function isContended(error: unknown): boolean {
  const number = numberOf(error)
  return number !== undefined && CONTENDED.includes(number)
}

/** MariaDB's number of an error. */
export function numberOf(error: unknown): number | undefined {
  const original = originalOf(error)
  return original !== undefined && 'errno' in original ? Number(original.errno) : undefined
}

function originalOf(error: unknown): object | undefined {
  // As the connector has it, where Sequelize was not asked.
  if (error instanceof Error && 'sqlState' in error) return error
  const original: unknown = error instanceof BaseError && 'original' in error ? error.original : undefined
  return typeof original === 'object' && original !== null ? original : undefined
}
