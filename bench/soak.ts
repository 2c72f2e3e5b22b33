// `npm run soak -- 8h`: a server of its own under everything at once, for hours: runs of 5 s, saves, viewers that read
// and viewers that do not, deliveries, rehearsals. Each minute is a line; what rises without end fails it.
import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { connect, type Socket } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { trendOf } from '@jolt-gate/core'
import { freePort, programOf, startChild, startMariaDb } from '@jolt-gate/scripts'
import { createConnection } from 'mariadb'

const UNITS: Record<string, number> = { s: 1, m: 60, h: 3600 }
const [, count = '', unit = ''] = /^(\d{1,4})([smh])$/.exec(process.argv[2] ?? '1h') ?? []
const seconds = Number(count) * (UNITS[unit] ?? 0)
if (!(seconds >= 1)) {
  process.stderr.write('how long: npm run soak -- 8h (or 90s, 30m)\n')
  process.exit(2)
}

/** The least of a minute is what is still held: what a collection of garbage would give back is not counted. */
const LOOK_MS = 5000
const MINUTE = 60
/** Until then caches fill. */
const WARM_UP_SHARE = 1 / 3
const SURE = 0.01
const PLAN = 'plans/soak.gate.yaml'

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-soak-'))
const repository = join(folder, 'larkholm')
let delivered = 0
const target = createServer((request, response) => {
  if (request.url === '/events') delivered++
  request.resume()
  response.end('{"id": 1}')
})
await new Promise<void>((resolve) => target.listen(0, '127.0.0.1', resolve))
const address = target.address()
const targetOrigin = `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`

const planText = (words: string) => `jolt: 1
name: Soak ${words}
target: here
setup:
  - send: POST /bookings
    keep: { booking: json $.id }
journeys:
  a:
    steps:
      - send: GET /sailings
load:
  - { phase: p, rate: 50/s, for: 5s }
teardown:
  - send: DELETE /bookings/{booking}
gates:
  - failed requests at most 1 %
`
const git = (...words: string[]) => execFileSync('git', words, { cwd: repository, stdio: 'ignore' })
for (const name of ['plans', 'targets']) mkdirSync(join(repository, name), { recursive: true })
writeFileSync(join(repository, 'targets/here.target.yaml'), `origin: ${targetOrigin}\n`)
writeFileSync(join(repository, PLAN), planText('0'))
writeFileSync(join(repository, 'plans/saved.gate.yaml'), planText('saved'))
git('init', '-q', '-b', 'main')
git('config', 'user.name', 'Soak')
git('config', 'user.email', 'soak@larkholm.example')
git('add', '-A')
git('commit', '-qm', 'first')

const database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
const port = await freePort(0)
const server = await startChild(
  [
    ...programOf('server'),
    ...['--socket', database.socketPath, '--database-user', database.user, '--project', repository, '--demo'],
    ...['--runs-folder', join(folder, 'runs'), '--port', String(port)],
  ],
  { JOLT_GATE_LOG: 'error', JOLT_GATE_KEY: 'a key for an hour, 32 characters long' },
)
const api = `${server.origin}/api`
const signIn = await fetch(`${api}/session/demo`, { method: 'POST' })
const { csrf } = (await signIn.json()) as { csrf: string }
const cookie = signIn.headers.getSetCookie()[0]?.split(';')[0] ?? ''
const headers = { cookie, 'x-jolt-gate-csrf': csrf, 'content-type': 'application/json' }
const done = { runs: 0, saves: 0, viewers: 0, rehearsals: 0, faults: 0 }
const over = new AbortController()

async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  const init = body === undefined ? { method, headers } : { method, headers, body: JSON.stringify(body) }
  const answer = await fetch(api + path, {
    ...init,
    signal: AbortSignal.any([over.signal, AbortSignal.timeout(60_000)]),
  })
  const text = await answer.text()
  if (!answer.ok) throw new Error(`${method} ${path}: ${String(answer.status)} ${text.slice(0, 300)}`)
  return (text.startsWith('{"kind"') ? text : JSON.parse(text)) as T
}

let latest = ''
const work: Record<string, () => Promise<void>> = {
  async run() {
    const { id } = await ask<{ id: string }>('POST', '/projects/1/runs', { plan: PLAN })
    latest = id
    for (;;) {
      const { state } = await ask<{ state: string }>('GET', `/runs/${id}`)
      if (state === 'ended') break
      await sleep(500)
    }
    done.runs++
  },
  async save() {
    const path = '/projects/1/plan?file=plans/saved.gate.yaml'
    const { base } = await ask<{ base: string }>('GET', path)
    await ask('PUT', path, { base, text: planText(String(done.saves)), message: 'Another name' })
    done.saves++
    await sleep(2000)
  },
  async view() {
    if (latest === '') return sleep(500)
    const look = new AbortController()
    const streams = ['/changes', `/runs/${latest}/stream`].map(async (path) => {
      const { body } = await fetch(api + path, { headers, signal: look.signal })
      for await (const _ of body ?? []) if (over.signal.aborted) break
    })
    await sleep(4000)
    look.abort()
    await Promise.allSettled(streams)
    done.viewers++
  },
  async ignore() {
    const { hostname } = new URL(server.origin)
    const sockets = Array.from({ length: 5 }, (): Socket => {
      const socket = connect(port, hostname).pause()
      socket.on('error', () => undefined)
      socket.write(`GET /api/runs/${latest}/stream HTTP/1.1\r\nHost: ${hostname}\r\nCookie: ${cookie}\r\n\r\n`)
      return socket
    })
    await sleep(8000)
    for (const socket of sockets) socket.destroy()
    done.viewers += sockets.length
  },
  async rehearse() {
    await ask('POST', '/projects/1/rehearsals', { plan: PLAN })
    done.rehearsals++
    await sleep(3000)
  },
}

/** Does one thing again and again; what it comes to is counted. */
async function forEver(one: () => Promise<void>): Promise<void> {
  while (!over.signal.aborted)
    await one().catch(async (error: unknown) => {
      if (over.signal.aborted) return
      if (done.faults++ < 20) process.stderr.write(`${String(error)}\n`)
      await sleep(1000)
    })
}

interface Sample {
  memoryMb: number
  descriptors: number
  processes: number
}
const pid = Number(
  execFileSync('pgrep', ['-f', `runs-folder ${join(folder, 'runs')}`], { encoding: 'utf8' }).split('\n')[0],
)
function look(): Sample {
  const status = readFileSync(`/proc/${String(pid)}/status`, 'utf8')
  const children = readFileSync(`/proc/${String(pid)}/task/${String(pid)}/children`, 'utf8').trim()
  return {
    memoryMb: Number(/^VmRSS:\s+(\d+)/m.exec(status)?.[1]) / 1024,
    descriptors: readdirSync(`/proc/${String(pid)}/fd`).length,
    processes: children === '' ? 0 : children.split(' ').length,
  }
}
const leastOf = (samples: readonly Sample[]): Sample => ({
  memoryMb: Math.min(...samples.map(({ memoryMb }) => memoryMb)),
  descriptors: Math.min(...samples.map(({ descriptors }) => descriptors)),
  processes: Math.min(...samples.map(({ processes }) => processes)),
})

const connection = await createConnection({
  socketPath: database.socketPath,
  user: database.user,
  database: 'jolt_gate',
})
/** Of what must not be left behind: rows of runs and their parts are kept, by design. */
const TABLES = ['runs', 'run_buckets', 'run_parts', 'rehearsals', 'deliveries', 'sessions', 'events']
async function rowsOf(): Promise<string> {
  const counts: string[] = []
  for (const table of TABLES) {
    const found = await connection.query<{ n: bigint }[]>(`SELECT COUNT(*) AS n FROM ${table}`).catch(() => [])
    if (found[0] !== undefined) counts.push(`${String(found[0].n)} ${table}`)
  }
  return counts.join(', ')
}

await ask('POST', '/projects/1/webhooks', { url: `${targetOrigin}/events`, events: ['run.verdict'] })
const working = Object.values(work).map(forEver)
const minutes: Sample[] = []
process.stdout.write(
  '| minute | MB | descriptors | processes | done | rows |\n| ---: | ---: | ---: | ---: | --- | --- |\n',
)
let ofMinute: Sample[] = []
for (let at = 0; at < seconds; at += LOOK_MS / 1000) {
  await sleep(LOOK_MS)
  ofMinute.push(look())
  if (ofMinute.length < MINUTE / (LOOK_MS / 1000)) continue
  const least = leastOf(ofMinute)
  ofMinute = []
  minutes.push(least)
  const { runs, saves, viewers, rehearsals, faults } = done
  const words = `${String(runs)} runs, ${String(saves)} saves, ${String(viewers)} viewers, ${String(rehearsals)} rehearsals, ${String(delivered)} deliveries, ${String(faults)} faults`
  process.stdout.write(
    `| ${String(minutes.length)} | ${least.memoryMb.toFixed(0)} | ${String(least.descriptors)} | ${String(least.processes)} | ${words} | ${await rowsOf()} |\n`,
  )
}
over.abort()
await Promise.allSettled(working)
await connection.end()
await server.stop()
await database.stop()
target.closeAllConnections()
target.close()
rmSync(folder, { recursive: true, force: true })

const settled = minutes.slice(Math.floor(WARM_UP_SHARE * minutes.length))
const rising = (['memoryMb', 'descriptors', 'processes'] as const).flatMap((figure) => {
  const values = settled.map((minute) => minute[figure])
  if (values.length < 10) return []
  const { p, slope } = trendOf(values)
  const first = values[0] ?? 0
  // By a twentieth within the time that was watched: less is no matter of a day.
  return p < SURE && slope * values.length > Math.max(2, 0.05 * first)
    ? [`${figure} rises by ${(60 * slope).toFixed(1)} an hour (p ${p.toExponential(1)})`]
    : []
})
const faults = done.faults === 0 ? [] : [`${String(done.faults)} things failed`]
const bad = [...rising, ...faults]
process.stdout.write(bad.length === 0 ? '\nnothing rises, nothing failed\n' : `\n${bad.join('\n')}\n`)
process.exitCode = bad.length === 0 ? 0 : 1
