import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { addDatabase, startMariaDb, type MariaDb } from '../src/mariadb.js'
import { backUp, checksumsOf, compare, drill, restore } from '../src/backup.js'

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-backup-'))
let mariadb: MariaDb
const address = (database = 'jolt_gate') => ({ socketPath: mariadb.socketPath, user: userInfo().username, database })
const run = (sql: string) =>
  execFileSync('mariadb', [
    '--no-defaults',
    `--socket=${mariadb.socketPath}`,
    `--user=${userInfo().username}`,
    '-e',
    sql,
  ])

beforeAll(async () => {
  mariadb = await startMariaDb(join(folder, 'data'), 'jolt_gate')
  run(`CREATE TABLE jolt_gate.runs (id INT PRIMARY KEY, name VARCHAR(50), data BLOB);
    INSERT INTO jolt_gate.runs VALUES (1, 'Sörla', 0x00ff27), (2, 'Ostrey', NULL)`)
})
afterAll(async () => {
  await mariadb.stop()
  rmSync(folder, { recursive: true, force: true })
})

describe('a drill', () => {
  it('restores what was backed up, and finds it equal', async () => {
    expect(await drill(address(), join(folder, 'whole.sql'))).toEqual([{ table: 'runs', rows: 2, outcome: 'equal' }])
  })

  it('finds a row that is lost or other than it was, and a table that is not there', () => {
    const file = join(folder, 'bad.sql')
    const before = checksumsOf(address())
    backUp(address(), file)
    const outcomeOf = (name: string, changed: string): string => {
      writeFileSync(`${file}.${name}`, changed)
      addDatabase(mariadb.socketPath, name)
      restore(address(name), `${file}.${name}`)
      return compare({ before, after: before }, address(name))[0]?.outcome ?? ''
    }
    const text = readFileSync(file, 'utf8')

    expect(outcomeOf('same', text)).toBe('equal')
    expect(outcomeOf('other', text.replace('Ostrey', 'Ostrex'))).toBe('differs')
    expect(outcomeOf('lost', text.replace(/,\s*\(2,[^)]*\)/, ''))).toBe('differs')
    expect(outcomeOf('none', '')).toBe('differs')
  })

  it('tells a table that was written to meanwhile', () => {
    const before = checksumsOf(address())
    run("INSERT INTO jolt_gate.runs VALUES (3, 'Tarn Skerry', NULL)")

    expect(compare({ before, after: checksumsOf(address()) }, address())).toEqual([
      { table: 'runs', rows: 3, outcome: 'changed meanwhile' },
    ])
  })
})
