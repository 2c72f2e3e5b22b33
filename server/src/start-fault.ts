// Why a server does not start, in one sentence.
import { isAway, isRefused, isUnknown } from './database/away.js'
import { StartFault } from './database/start-fault.js'
import { placeOf, type DatabaseAddress } from './database/address.js'

interface Asked {
  database: DatabaseAddress
  port: number
  listen?: string
}

/** The sentence for an error of the start; undefined where it is none that a person can mend. */
export function startFaultOf(error: unknown, { database, port, listen = '127.0.0.1' }: Asked): string | undefined {
  if (error instanceof StartFault) return error.message
  const where = `${database.database} at ${placeOf(database)}`
  if (isRefused(error))
    return `the database ${where} refuses ${database.user}: give that account the database, or name another with --database-user`
  if (isUnknown(error)) return `there is no database ${where}: create it, or name another with --database`
  if (isAway(error))
    return `the database ${where} does not answer: start MariaDB, or say where it is with --socket or --database-host`
  const code = error instanceof Error && 'code' in error ? error.code : ''
  if (code === 'EADDRINUSE') return `port ${String(port)} of ${listen} is in use: choose another with --port`
  if (code === 'EADDRNOTAVAIL') return `${listen} is no address of this machine: choose another with --listen`
  if (code === 'EACCES' && error instanceof Error) return `not permitted: ${error.message.replace(/^EACCES: /, '')}`
  return undefined
}
