// `npm run record`: makes the runs that the demo begins with, really, and keeps them as a file. The service slows down
// with the fourteenth of them and is mended with the eighteenth; the seventh is stopped by a person.
import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { gzipSync } from 'node:zlib'
import { startChild } from './children.js'
import { DEMO_ENVIRONMENT, demoSession, prepareDemo, RECORDED_RUNS, untilNoneGoes, type Ask } from './demo.js'
import { startMariaDb } from './mariadb.js'
import { root } from './stage.js'

const PLAN = 'plans/watch.gate.yaml'
const RUNS = 26
const [SLOW_FROM, MENDED_FROM, STOPPED] = [14, 18, 7]
const SLOW = 2
const STOP_AFTER_MS = 5000

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-record-'))
const database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
const ferries = await startChild([join(root, 'stand-ins/ferries/dist/main.js')])
const demo = join(folder, 'larkholm-ferries')
prepareDemo(join(root, 'demo'), demo, ferries.origin)
const server = await startChild(
  [
    join(root, 'server/dist/main.js'),
    ...['--socket', database.socketPath, '--database-user', database.user],
    ...['--project', demo, '--runs-folder', join(folder, 'runs'), '--demo'],
  ],
  DEMO_ENVIRONMENT,
)
const json = await demoSession(server.origin)
const lines: string[] = []
for (let number = 1; number <= RUNS; number++) {
  await setFlaws(number >= SLOW_FROM && number < MENDED_FROM ? SLOW : 1)
  execFileSync('git', ['commit', '-q', '--allow-empty', '-m', `Build ${String(number)} of the service`], { cwd: demo })
  lines.push(await recorded(number, json))
  process.stdout.write(`${String(number)} of ${String(RUNS)}\n`)
}
for (const part of [server, ferries, database]) await part.stop()
mkdirSync(dirname(RECORDED_RUNS), { recursive: true })
writeFileSync(RECORDED_RUNS, gzipSync(`${lines.join('\n')}\n`, { level: 9 }))
rmSync(folder, { recursive: true, force: true })

async function setFlaws(slowSearch: number): Promise<void> {
  const answer = await fetch(`${ferries.origin}/admin/flaws`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ slowSearch }),
  })
  if (!answer.ok) throw new Error(await answer.text())
}

/** One run as a line of the file. */
async function recorded(number: number, ask: Ask): Promise<string> {
  const post = { method: 'POST', headers: { 'content-type': 'application/json' } }
  const { id } = await ask<{ id: string }>(`${server.origin}/api/projects/1/runs`, {
    ...post,
    body: JSON.stringify({ plan: PLAN }),
  })
  if (number === STOPPED) {
    await sleep(STOP_AFTER_MS)
    await ask(`${server.origin}/api/runs/${id}/stop`, { ...post, body: '{}' })
  }
  await untilNoneGoes(server.origin, ask)
  const detail = await ask<Record<string, unknown>>(`${server.origin}/api/runs/${id}`)
  const result = await ask<unknown>(`${server.origin}/api/runs/${id}/result.json`)
  const run = { ...detail, result: undefined, baseline: undefined }
  return JSON.stringify({ run, result, buckets: await bucketsOf(id, ask) })
}

/** The seconds of a run, as its stream tells them. */
async function bucketsOf(id: string, ask: Ask): Promise<string[]> {
  const text = await ask<string>(`${server.origin}/api/runs/${id}/stream`, {}, 'text')
  return text
    .split('\n\n')
    .filter((event) => /^event: ?bucket$/m.test(event))
    .map((event) => JSON.parse(/^data: ?(.*)$/m.exec(event)?.[1] ?? '""') as string)
}
