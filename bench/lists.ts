// `npm run bench:lists`: how long the list of runs takes with ten thousand of them, beside a hundred, in one run.
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { execFileSync } from 'node:child_process'
import { startMariaDb } from '@jolt-gate/scripts'
import { openDatabase, startServer } from '@jolt-gate/server'

const COUNTS = [100, 10_000]
const ASKED = 30
/** About what a result of an hour takes as JSON. */
const LARGE = JSON.stringify({ filler: 'x'.repeat(20_000) })

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-lists-'))
const repository = join(folder, 'larkholm')
execFileSync('git', ['init', '-q', '-b', 'main', repository])
const database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
const address = { socketPath: database.socketPath, user: database.user, database: 'jolt_gate' }
const server = await startServer({
  database: address,
  port: 0,
  pages: undefined,
  projects: [repository],
  runsFolder: join(folder, 'runs'),
  isDemo: true,
})
const sequelize = openDatabase(address)
const signedIn = await fetch(`${server.origin}/api/session/demo`, {
  method: 'POST',
  headers: { 'content-type': 'application/json' },
  body: '{}',
})
const cookie = signedIn.headers.getSetCookie()[0]?.split(';')[0] ?? ''
let stored = 0
process.stdout.write('| runs | list of the newest 200, median | rows of the answer |\n| ---: | ---: | ---: |\n')
for (const count of COUNTS) {
  for (; stored < count; stored += 100) await storeHundred(stored)
  const times: number[] = []
  let rows = 0
  for (let asked = 0; asked < ASKED; asked++) {
    const beganMs = performance.now()
    const response = await fetch(`${server.origin}/api/projects/1/runs`, { headers: { cookie } })
    rows = ((await response.json()) as { runs: unknown[] }).runs.length
    times.push(performance.now() - beganMs)
  }
  const median = times.toSorted((a, b) => a - b)[ASKED / 2] ?? NaN
  process.stdout.write(`| ${String(count)} | ${median.toFixed(1)} ms | ${String(rows)} |\n`)
}
await sequelize.close()
await server.stop()
await database.stop()
rmSync(folder, { recursive: true, force: true })

async function storeHundred(from: number): Promise<void> {
  const numbers = Array.from({ length: 100 }, (_, index) => from + index + 1)
  const schema = sequelize.getQueryInterface()
  const at = new Date('2026-11-01T10:00:00Z')
  const spark = JSON.stringify({ due: new Array<number>(60).fill(10), p95: new Array<number>(60).fill(12.5) })
  await schema.bulkInsert(
    'runs',
    numbers.map((number) => ({
      ...{ id: `r${String(number)}`, project_id: 1, number, plan_file: 'plans/a.gate.yaml', plan_name: 'A' },
      ...{ target_name: 'here', origin: 'http://127.0.0.1:1', dirty: false, state: 'ended', verdict: 'open' },
      ...{ reasons: '[]', spark, seconds: 60, peak_rate: 10, most_users: 0, gates_all: 1, gates_breached: 0 },
      ...{ requests: 600, failed_share: 0, p95: 12.5, asked_at: at, started_at: at, ended_at: at },
    })),
  )
  await schema.bulkInsert(
    'run_parts',
    numbers.map((number) => ({ run_id: `r${String(number)}`, plan: LARGE, shape: '{"phases":[]}', result: LARGE })),
  )
}
