// One statement to a database, for setup and teardown: MariaDB, MySQL or PostgreSQL, with bound parameters.
import type { Json } from '@jolt-gate/core'

export type SqlOutcome = { kind: 'done'; json: string } | { kind: 'failed'; detail: string }

const MOST_ROWS = 1000

/**
 * Runs a statement on a connection of its own.
 *
 * @param database - a URL: mariadb://, mysql:// or postgres://
 * @param statement - with ? (MariaDB, MySQL) or $1 (PostgreSQL) for each parameter; ? is taken for both
 */
export async function runSql(
  database: string,
  statement: string,
  parameters: readonly (Json | undefined)[],
  timeoutMs: number,
): Promise<SqlOutcome> {
  const values = parameters.map((value) =>
    typeof value === 'object' && value !== null ? JSON.stringify(value) : value,
  )
  try {
    const url = new URL(database)
    const rows =
      url.protocol === 'postgres:' || url.protocol === 'postgresql:'
        ? await runPostgres(database, statement, values, timeoutMs)
        : await runMariaDb(url, statement, values, timeoutMs)
    return { kind: 'done', json: JSON.stringify(rows) }
  } catch (error) {
    return { kind: 'failed', detail: error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error) }
  }
}

async function runMariaDb(url: URL, statement: string, values: unknown[], timeoutMs: number): Promise<unknown> {
  if (url.protocol !== 'mariadb:' && url.protocol !== 'mysql:')
    throw new Error('a database is mariadb://, mysql:// or postgres://')
  const { createConnection } = await import('mariadb')
  const connection = await createConnection({
    ...(url.searchParams.has('socket')
      ? { socketPath: url.searchParams.get('socket') ?? '' }
      : { host: url.hostname, port: url.port === '' ? 3306 : Number(url.port) }),
    user: decodeURIComponent(url.username),
    password: decodeURIComponent(url.password),
    database: decodeURIComponent(url.pathname.slice(1)),
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

async function runPostgres(url: string, statement: string, values: unknown[], timeoutMs: number): Promise<unknown> {
  const { default: pg } = await import('pg')
  const client = new pg.Client({
    connectionString: url,
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
