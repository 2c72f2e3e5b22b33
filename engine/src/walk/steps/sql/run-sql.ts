// One statement to a database, for setup and teardown: MariaDB, MySQL or PostgreSQL, with bound parameters.
import type { Socket } from 'node:net'
import type { Json } from '@jolt-gate/core'
import type { WayOut } from '../../../network/way-out.js'

export type SqlOutcome = { kind: 'done'; json: string } | { kind: 'failed'; detail: string }

const MOST_ROWS = 1000
const USUAL_PORTS = new Map([
  ['mariadb:', 3306],
  ['mysql:', 3306],
  ['postgres:', 5432],
  ['postgresql:', 5432],
])

/** A database as its URL names it. */
interface Database {
  host: string
  port: number
  user: string
  password: string
  name: string
  tls: 'no' | 'unverified' | 'verified'
  connect: () => Socket
}

/**
 * Runs a statement on a connection of its own.
 *
 * @param database - a URL: mariadb://, mysql:// or postgres://, with no option but `sslmode`
 * @param statement - with ? (MariaDB, MySQL) or $1 (PostgreSQL) for each parameter; ? is taken for both
 * @param out - how it is reached, and whether it may be
 */
export async function runSql(
  database: string,
  statement: string,
  parameters: readonly (Json | undefined)[],
  timeoutMs: number,
  out: WayOut,
): Promise<SqlOutcome> {
  const values = parameters.map((value) =>
    typeof value === 'object' && value !== null ? JSON.stringify(value) : value,
  )
  try {
    if (!URL.canParse(database)) throw new Error('the database is no URL')
    const url = new URL(database)
    const place = placeOf(url, out)
    const rows = url.protocol.startsWith('postgres')
      ? await runPostgres(place, statement, values, timeoutMs)
      : await runMariaDb(place, statement, values, timeoutMs)
    return { kind: 'done', json: JSON.stringify(rows) }
  } catch (error) {
    return { kind: 'failed', detail: error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error) }
  }
}

function placeOf(url: URL, out: WayOut): Database {
  const usual = USUAL_PORTS.get(url.protocol)
  if (usual === undefined) throw new Error('a database is mariadb://, mysql:// or postgres://')
  // Options of a driver can name sockets and files of this machine.
  const option = [...url.searchParams.keys()].find((name) => name !== 'sslmode')
  if (option !== undefined) throw new Error(`a database URL has no option "${option}": only sslmode is permitted`)
  const [host, port] = [url.hostname, url.port === '' ? usual : Number(url.port)]
  if (!out.permitsHost(host))
    throw new Error(`${host} is neither on loopback nor a host of the target: add an origin of it to also`)
  return {
    host,
    port,
    user: decodeURIComponent(url.username),
    password: decodeURIComponent(url.password),
    name: decodeURIComponent(url.pathname.slice(1)),
    tls: tlsOf(url.searchParams.get('sslmode') ?? 'disable'),
    connect: () => out.connect({ host, port, to: 'database' }),
  }
}

function tlsOf(mode: string): Database['tls'] {
  if (mode === 'disable') return 'no'
  if (mode === 'require') return 'unverified'
  if (mode === 'verify-full') return 'verified'
  throw new Error(`sslmode is disable, require or verify-full, not "${mode}"`)
}

const optionsOf = ({ port, user, password, name, host, tls }: Database) => ({
  host,
  port,
  user,
  password,
  database: name,
  ssl: tls === 'no' ? false : { rejectUnauthorized: tls === 'verified', servername: host },
})

async function runMariaDb(place: Database, statement: string, values: unknown[], timeoutMs: number): Promise<unknown> {
  const { createConnection } = await import('mariadb')
  const connection = await createConnection({
    ...optionsOf(place),
    stream: (callback) => {
      callback(undefined, place.connect())
    },
    connectTimeout: timeoutMs,
    socketTimeout: timeoutMs,
    insertIdAsNumber: true,
    bigIntAsNumber: true,
  })
  try {
    const result: unknown = await connection.query(statement, values)
    return Array.isArray(result) ? result.slice(0, MOST_ROWS) : result
  } finally {
    await connection.end().catch(() => undefined)
  }
}

async function runPostgres(place: Database, statement: string, values: unknown[], timeoutMs: number): Promise<unknown> {
  const { default: pg } = await import('pg')
  const client = new pg.Client({
    ...optionsOf(place),
    // The client connects what it is given; this is under way already.
    stream: () => Object.assign(place.connect(), { connect: () => undefined }),
    connectionTimeoutMillis: timeoutMs,
    query_timeout: timeoutMs,
    statement_timeout: timeoutMs,
  })
  await client.connect()
  try {
    const result = await client.query(numbered(statement), values)
    return result.command === 'SELECT' ? result.rows.slice(0, MOST_ROWS) : { affectedRows: result.rowCount }
  } finally {
    await client.end().catch(() => undefined)
  }
}

/** Question marks outside quotes become $1, $2 and so on. */
function numbered(statement: string): string {
  let count = 0
  return statement.replaceAll(/'(?:[^']|'')*'|"[^"]*"|\?/g, (piece) => (piece === '?' ? `$${String(++count)}` : piece))
}
