// One server for one database: a second one would end the first one's runs, and make what is queued twice.
import { createHash } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import { createConnection, type Connection } from 'mariadb'
import { log } from '../observability/log.js'
import { isAway } from './away.js'
import { wayTo, type DatabaseAddress } from './address.js'
import { StartFault } from './start-fault.js'

/** One that was killed is still there until the database has noticed. */
const WITHIN_S = 3
const WAIT_S = 5
/** A connection that says nothing is closed by the database some time. */
const PING_MS = 60_000
const AGAIN_MS = 500
const STANDBY_AGAIN_MS = 4000

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
  let connection = await (isStandby ? takenAfterAll(address) : takenNow(address))
  let isReleased = false
  const ping = setInterval(() => {
    connection.ping().catch(() => undefined)
  }, PING_MS)
  ping.unref()
  const keep = (one: Connection): void => {
    one.once('end', () => void again())
  }
  const again = async (): Promise<void> => {
    while (!isReleased) {
      const next = await connect(address).catch(() => undefined)
      if (next === undefined) await sleep(AGAIN_MS, undefined, { ref: false })
      else {
        connection = next
        keep(next)
        // One that has ended again is told by its end.
        const isOurs = await take(next, address, WITHIN_S).catch(() => undefined)
        if (isOurs === false) onLost()
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

/** @throws StartFault where another server has it */
async function takenNow(address: DatabaseAddress): Promise<Connection> {
  const connection = await connect(address)
  if (await take(connection, address, WITHIN_S)) return connection
  await connection.end()
  throw new StartFault(
    `another server has the database ${address.database}: stop that one first, or wait for its end with --standby`,
  )
}

/** Waits for the end of the server that has it, also while the database is away. */
async function takenAfterAll(address: DatabaseAddress): Promise<Connection> {
  log.info({ database: address.database }, 'waits for the database, and for the end of a server that has it')
  for (;;) {
    const connection = await connect(address).catch(unlessAway)
    try {
      while (connection !== undefined) if (await take(connection, address, WAIT_S)) return connection
    } catch (error) {
      unlessAway(error)
    }
    // Longer than one that had it needs to take it again.
    await sleep(STANDBY_AGAIN_MS)
  }
}

function unlessAway(error: unknown): undefined {
  if (!isAway(error)) throw error
}

async function connect(address: DatabaseAddress): Promise<Connection> {
  const { user, password, database } = address
  const connection = await createConnection({
    ...wayTo(address),
    ...(password === undefined ? {} : { password }),
    user,
    database,
  })
  // What is asked of it fails by itself.
  connection.on('error', () => undefined)
  return connection
}

async function take(connection: Connection, { database }: DatabaseAddress, withinS: number): Promise<boolean> {
  // A name of at most 64 letters, for the whole of MariaDB.
  const name = `jolt-gate ${createHash('sha256').update(database).digest('hex').slice(0, 32)}`
  const [row] = await connection.query<{ taken: unknown }[]>('SELECT GET_LOCK(?, ?) AS taken', [name, withinS])
  return Number(row?.taken) === 1
}
