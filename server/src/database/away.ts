// Whether the database is away, or refuses.
import { BaseError, ConnectionError } from 'sequelize'

/** Whether an error says that the database cannot be reached, rather than that it refuses. */
export function isAway(error: unknown): boolean {
  if (error instanceof ConnectionError) return true
  if (!(error instanceof BaseError)) return false
  const original: unknown = 'original' in error ? error.original : undefined
  if (typeof original !== 'object' || original === null) return false
  // Class 08 of the SQL standard is what concerns the connection; `fatal` is the connector's word for the same.
  const state = 'sqlState' in original ? String(original.sqlState) : ''
  return state.startsWith('08') || ('fatal' in original && original.fatal === true)
}
