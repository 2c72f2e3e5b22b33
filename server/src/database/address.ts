// Where the database is: a socket of this machine, or a port of this or another one.
import { isLoopbackAddress } from '@jolt-gate/core'
import type { ConnectionConfig } from 'mariadb'

/** How the server reaches its database. */
export type DatabaseAddress = (
  | { socketPath: string }
  | {
      host: string
      port: number
      /** Certificates by which the database is known, as PEM text; by default those that the system trusts. */
      ca?: string | undefined
    }
) & {
  user: string
  password?: string | undefined
  database: string
  /** At most so many at once; one more holds the lock. */
  connections?: number
}

const CONNECT_WITHIN_MS = 10_000
/** What the database itself may take over a statement; a change of the schema may take as long as it needs. */
const STATEMENT_WITHIN_S = 60
/** A database that stands still, or a network that is cut, says nothing at all: longer than a statement may take. */
const SILENT_WITHIN_MS = 90_000

/** Whether the way there is not on this machine: then it is TLS, or it is not gone. */
const isFar = (host: string): boolean => host !== 'localhost' && !isLoopbackAddress(host)

/** Ports of this machine that are the database's: no plan may name them. */
export const portsHere = (address: DatabaseAddress): number[] =>
  'port' in address && !isFar(address.host) ? [address.port] : []

/** The words for an address in a sentence. */
export const placeOf = (address: DatabaseAddress): string =>
  'socketPath' in address ? address.socketPath : `${address.host}:${String(address.port)}`

/** What the connector is told of the way there, without the account. */
export function wayTo(address: DatabaseAddress): ConnectionConfig {
  // A busy machine may take longer than the connector's one second; a database that is gone is told at once.
  const common = { connectTimeout: CONNECT_WITHIN_MS }
  if ('socketPath' in address) return { ...common, socketPath: address.socketPath }
  const { host, port, ca } = address
  const isTls = ca !== undefined || isFar(host)
  return { ...common, host, port, ...(isTls ? { ssl: { rejectUnauthorized: true, ...(ca ? { ca } : {}) } } : {}) }
}

/** The limits of time for what the server asks while it serves. */
export const LIMITS_OF_TIME: ConnectionConfig = {
  socketTimeout: SILENT_WITHIN_MS,
  initSql: `SET SESSION max_statement_time = ${String(STATEMENT_WITHIN_S)}`,
}
