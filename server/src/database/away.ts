// Whether the database is away, full, or refuses.
import { BaseError, ConnectionError } from 'sequelize'

/** Whether an error says that the database cannot be reached, rather than that it refuses. */
export function isAway(error: unknown): boolean {
  if (error instanceof ConnectionError) return true
  const original = originalOf(error)
  if (original === undefined) return false
  // Class 08 of the SQL standard is what concerns the connection; `fatal` is the connector's word for the same.
  const state = 'sqlState' in original ? String(original.sqlState) : ''
  return state.startsWith('08') || ('fatal' in original && original.fatal === true)
}

/** MariaDB's errors of a disk or a table that takes no more: 1021 ER_DISK_FULL, 1114 ER_RECORD_FILE_FULL. */
const FULL = [1021, 1114]

/** Whether an error says that there is no room left. */
export function isFull(error: unknown): boolean {
  const original = originalOf(error)
  return original !== undefined && 'errno' in original && FULL.some((one) => one === original.errno)
}

function originalOf(error: unknown): object | undefined {
  const original: unknown = error instanceof BaseError && 'original' in error ? error.original : undefined
  return typeof original === 'object' && original !== null ? original : undefined
}
