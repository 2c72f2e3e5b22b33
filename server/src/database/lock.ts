// One server for one database: a second one would end the first one's runs, and make what is queued twice.
import { createHash } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import { createConnection, type Connection } from 'mariadb'
import { log } from '../observability/log.js'
import type { DatabaseAddress } from './connect.js'
import { StartFault } from './start-fault.js'

/** One that was killed is still there until the database has noticed. */
const WITHIN_S = 3
const WAIT_S = 5
/** A connection that says nothing is closed by the database some time. */
const PING_MS = 60_000
const AGAIN_MS = 500

export interface Lock {
  release(): Promise<void>
}

/**
 * Takes the database for this process. The lock is the database's own: it ends with the connection, however that ends.
 *
 * @param isStandby - waits for a server that has it
 * @param onLost - another one has taken it while the database was away
 * @throws StartFault where another server has it
 */
export async function lockDatabase(address: DatabaseAddress, isStandby: boolean, onLost: () => void): Promise<Lock> {
  let connection = await connect(address)
  let isReleased = false
  let isTold = false
  while (!(await take(connection, address, isStandby ? WAIT_S : WITHIN_S))) {
    if (!isStandby) {
      await connection.end()
      throw new StartFault(
        `another server has the database ${address.database}: stop that one first, or wait for its end with --standby`,
      )
    }
    if (!isTold) log.info({ database: address.database }, 'waiting for the end of the server that has the database')
    isTold = true
  }
  const ping = setInterval(() => {
    connection.ping().catch(() => undefined)
  }, PING_MS)
  ping.unref()
  const keep = (one: Connection): void => {
    one.once('end', () => void again().catch(onLost))
    one.on('error', () => undefined)
  }
  const again = async (): Promise<void> => {
    while (!isReleased) {
      const next = await connect(address).catch(() => undefined)
      if (next === undefined) await sleep(AGAIN_MS, undefined, { ref: false })
      else {
        connection = next
        keep(next)
        if (!(await take(next, address, WITHIN_S))) onLost()
        return
      }
    }
  }
  keep(connection)
  return {
    async release() {
      isReleased = true
      clearInterval(ping)
      await connection.end().catch(() => undefined)
    },
  }
}

function connect({ socketPath, user, database }: DatabaseAddress): Promise<Connection> {
  return createConnection({ socketPath, user, database, connectTimeout: 10_000 })
}

async function take(connection: Connection, { database }: DatabaseAddress, withinS: number): Promise<boolean> {
  // A name of at most 64 letters, for the whole of MariaDB.
  const name = `jolt-gate ${createHash('sha256').update(database).digest('hex').slice(0, 32)}`
  const [row] = await connection.query<{ taken: unknown }[]>('SELECT GET_LOCK(?, ?) AS taken', [name, withinS])
  return Number(row?.taken) === 1
}
