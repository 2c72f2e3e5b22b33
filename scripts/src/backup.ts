// A backup of the database, and whether it can be restored.
import { closeSync, mkdtempSync, openSync, renameSync, rmSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { spawnSync } from 'node:child_process'
import { startMariaDb } from './mariadb.js'

interface Address {
  socketPath: string
  user: string
  database: string
}

export interface TableCheck {
  table: string
  /** Of the restored table. */
  rows: number
  /** `changed meanwhile` where the table was written to while the backup was made: its rows cannot be compared. */
  outcome: 'equal' | 'changed meanwhile' | 'differs'
}

/** Backs a database up, restores it into a MariaDB of its own, and compares the two. */
export async function drill(address: Address, file: string): Promise<TableCheck[]> {
  const before = checksumsOf(address)
  backUp(address, file)
  const after = checksumsOf(address)
  const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-drill-'))
  const own = await startMariaDb(join(folder, 'data'), address.database)
  try {
    const restored = { socketPath: own.socketPath, user: userInfo().username, database: address.database }
    restore(restored, file)
    return compare({ before, after }, restored)
  } finally {
    await own.stop()
    rmSync(folder, { recursive: true, force: true })
  }
}

/** Writes a dump whole or not at all. */
export function backUp({ socketPath, user, database }: Address, file: string): void {
  const beside = `${file}.part`
  const out = openSync(beside, 'w', 0o600)
  const options = ['--single-transaction', '--no-tablespaces', '--hex-blob']
  run('mariadb-dump', [...account({ socketPath, user }), ...options, database], { out })
  closeSync(out)
  renameSync(beside, file)
}

/** Reads a dump into an empty database. */
export function restore({ socketPath, user, database }: Address, file: string): void {
  const from = openSync(file, 'r')
  run('mariadb', [...account({ socketPath, user }), database], { from })
  closeSync(from)
}

/** @param source - checksums of the tables that were backed up, before and after that */
export function compare(
  source: { before: ReadonlyMap<string, string>; after: ReadonlyMap<string, string> },
  restored: Address,
): TableCheck[] {
  const found = checksumsOf(restored)
  return [...source.before].map(([table, checksum]) => {
    const isStill = source.after.get(table) === checksum
    const outcome = !found.has(table)
      ? 'differs'
      : !isStill
        ? 'changed meanwhile'
        : found.get(table) === checksum
          ? 'equal'
          : 'differs'
    return { table, rows: found.has(table) ? rowsOf(restored, table) : 0, outcome }
  })
}

/** Of each table the checksum over its rows. */
export function checksumsOf(address: Address): Map<string, string> {
  const tables = linesOf(address, 'SHOW TABLES')
  return new Map(
    tables.map((table) => [table, linesOf(address, `CHECKSUM TABLE \`${table}\` EXTENDED`)[0]?.split('\t')[1] ?? '']),
  )
}

const rowsOf = (address: Address, table: string): number =>
  Number(linesOf(address, `SELECT COUNT(*) FROM \`${table}\``)[0])

const account = ({ socketPath, user }: Pick<Address, 'socketPath' | 'user'>): string[] => [
  ...['--no-defaults', `--socket=${socketPath}`, `--user=${user}`],
]

function linesOf(address: Address, sql: string): string[] {
  const said = run('mariadb', [...account(address), '--skip-column-names', '--batch', '-e', sql, address.database], {})
  return said.split('\n').filter((line) => line !== '')
}

function run(program: string, words: string[], { from, out }: { from?: number; out?: number }): string {
  const { status, stdout, stderr, error } = spawnSync(program, words, {
    stdio: [from ?? 'ignore', out ?? 'pipe', 'pipe'],
    encoding: 'utf8',
    maxBuffer: 10_000_000,
  })
  if (error !== undefined) throw error
  if (status !== 0) throw new Error(`${program} failed: ${stderr.trim()}`)
  return out === undefined ? stdout : ''
}
