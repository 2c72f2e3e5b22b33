// `npm run bench`: the generator on one core, its target on the other; what is compared is measured in turns in one
// run, and each ratio stands beside its aim. Ends with 1 where one is missed by more than a tenth on a quiet host.
import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { createInterface } from 'node:readline'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { ensurePrograms } from '../scripts/src/debian.js'
import { median, metOf, tableOf, type Row } from './aims.js'
import { BUDGETS_US } from './costs.js'
import { hostTimes, stolenShare } from './host.js'

const ROUNDS = 5
/** Of the host's time; beyond that a ratio may be the host's. */
const MOST_STOLEN = 0.1
/** Two senders, their target and the command want a core each; to scale, some more. */
const CORES_FOR_TWO = 4
const CORES_TO_SCALE = 6

ensurePrograms(['nginx'])
const folder = fileURLToPath(new URL('.', import.meta.url))
const bundled = fileURLToPath(new URL('../cli/bundle/main.js', import.meta.url))
const command = fileURLToPath(new URL('../cli/bin/jolt-gate.js', import.meta.url))
const cores = availableParallelism()
const canPin = cores > 1 && spawnSync('taskset', ['-c', '0', 'true']).status === 0
const node = (file: string, args: string[]) => ['--expose-gc', '--import', 'tsx', `${folder}${file}`, ...args]
const pinned = (core: number, args: string[]): [string, string[]] =>
  canPin ? ['taskset', ['-c', String(core), process.execPath, ...args]] : [process.execPath, args]

const target = spawn(...pinned(1, node('target.ts', [])), { stdio: ['ignore', 'pipe', 'inherit'] })
process.on('exit', () => target.kill())
const [plain = '', secured = '', second = ''] = await new Promise<string[]>((resolve) => {
  createInterface({ input: target.stdout }).on('line', (line) => resolve(line.replace('answers at ', '').split(' ')))
})
const [origin, overTls, overSecond] = [`http://${plain}`, `https://${secured}`, `https://${second}`]

type Figures = Record<string, number>
const readFigures = (text: string): Figures => JSON.parse(text) as Figures
const measure = (part: string, at = origin, option = ''): Figures =>
  readFigures(execFileSync(...pinned(0, node('parts.ts', [part, at, option])), { encoding: 'utf8' }))
const unpinned = (part: string, option = ''): Figures =>
  readFigures(execFileSync(process.execPath, node('parts.ts', [part, origin, option]), { encoding: 'utf8' }))
const rate = (part: string, at = origin, option = '') => measure(part, at, option)['perSecond'] ?? NaN

/** Requests of each second of a run of the command as it is published: 64 users, on the generator's core. */
function commandSeconds(): number[] {
  const work = mkdtempSync(join(tmpdir(), 'jolt-gate-bench-'))
  const plan = `jolt: 1\nname: b\ntarget: ${origin}\njourneys:\n  a:\n    steps:\n      - send: GET /sailings{?from}\n        with: { from: LARKHOLM }\n        check: ["status is 200"]\n        keep: { id: "json $.sailings[0].id" }\nload:\n  - { phase: p, users: 64, for: 8s }\n`
  writeFileSync(join(work, 'b.gate.yaml'), plan)
  const args = [bundled, 'run', join(work, 'b.gate.yaml'), '--quiet', '--csv', join(work, 'b.csv')]
  spawnSync(...pinned(0, args), { stdio: 'ignore' })
  const [head = '', ...lines] = readFileSync(join(work, 'b.csv'), 'utf8').trim().split('\n')
  const column = head.split(',').indexOf('requests')
  rmSync(work, { recursive: true })
  return lines.map((line) => Number(line.split(',')[column]))
}

/** How much longer the command takes than bare node, in ms. */
function startMs(): number {
  const timed = (args: string[]) => {
    const beganMs = performance.now()
    spawnSync(process.execPath, args, { stdio: 'ignore' })
    return performance.now() - beganMs
  }
  return median(Array.from({ length: 15 }, () => -timed(['-e', '0']) + timed([command, '--version'])))
}

const before = hostTimes()
const rounds = Array.from({ length: ROUNDS }, () => ({
  sockets: rate('sockets'),
  command: commandSeconds(),
  bare: rate('bare'),
  full: rate('full'),
  tls: rate('full', overTls) / rate('bare', overTls),
  second: rate('full', overSecond, 'h2') / rate('bare', overSecond, 'h2'),
}))
const costs = measure('costs')
const pacing = Array.from({ length: ROUNDS }, () => ({
  alone: measure('pace'),
  shared: measure('lag'),
  free: unpinned('lag'),
}))
const record = measure('record')
const users = measure('users')
const hour = measure('hour')
const threads =
  cores < CORES_FOR_TWO
    ? []
    : Array.from({ length: ROUNDS }, () => [unpinned('threads', '1'), unpinned('threads', '2')] as const)
const stolen = stolenShare(before)
target.kill()
const isQuiet = canPin && stolen <= MOST_STOLEN

const ofRounds = (read: (round: (typeof rounds)[number]) => number) => median(rounds.map(read))
const ofPacing = (read: (round: (typeof pacing)[number]) => number | undefined) =>
  median(pacing.map((round) => read(round) ?? NaN))
const perSecond = (value: number) => `${value.toFixed(0)}/s`
const ratios = (read: (round: (typeof rounds)[number]) => number) =>
  `${ofRounds(read).toFixed(2)} (${rounds.map((round) => read(round).toFixed(2)).join(', ')})`
const least = (what: string, read: (round: (typeof rounds)[number]) => number, aim: number): Row => ({
  ...{ what, value: ratios(read), aim: String(aim) },
  judged: { ratio: ofRounds(read), least: aim },
})
const lagTo = (of: 'shared' | 'free') =>
  ofPacing((round) => (round[of]['p99Ms'] ?? NaN) / (round.alone['p99Ms'] ?? NaN))
const secondOf = (n: number) => (round: (typeof rounds)[number]) => round.command[n - 1] ?? NaN
const lateness = (what: string, of: 'alone' | 'shared' | 'free'): Row => ({
  what: `start lag over 10 s at 1 000 arrivals/s, ${what}: p50, p99`,
  value: `${ofPacing((round) => round[of]['p50Ms']).toFixed(2)} ms, ${ofPacing((round) => round[of]['p99Ms']).toFixed(2)} ms`,
})
const processorOfTwo = median(threads.map(([one, two]) => (two['cpuUs'] ?? NaN) / (one['cpuUs'] ?? NaN)))

const rows: Row[] = [
  { what: 'bare sockets, 64 connections', value: perSecond(ofRounds(({ sockets }) => sockets)) },
  { what: 'bare undici `request`, 64 connections', value: perSecond(ofRounds(({ bare }) => bare)) },
  { what: 'our full path, 64 connections', value: perSecond(ofRounds(({ full }) => full)) },
  least('our full path beside bare sockets', ({ full, sockets }) => full / sockets, 0.5),
  least('our full path beside bare undici', ({ full, bare }) => full / bare, 1.5),
  least('the same over TLS', ({ tls }) => tls, 0.9),
  least('the same over HTTP/2', (round) => round.second, 0.9),
  ...[1, 3, 7].map((n) => ({
    what: `the command, 64 users, second ${String(n)}; beside sockets`,
    value: `${perSecond(ofRounds(secondOf(n)))}; ${ofRounds((round) => secondOf(n)(round) / round.sockets).toFixed(2)}`,
  })),
  least('its third second beside its seventh', (round) => secondOf(3)(round) / secondOf(7)(round), 0.9),
  ...Object.entries(costs)
    .filter(([part]) => part !== 'failed')
    .toSorted(([, a], [, b]) => b - a)
    .map(([part, us]) => ({
      what: `of a request: ${part}`,
      value: `${us.toFixed(2)} µs`,
      aim: `${String(BUDGETS_US[part] ?? 0)} µs`,
    })),
  lateness('the pacing alone', 'alone'),
  lateness('command and sender on one core', 'shared'),
  lateness('command and sender on two cores', 'free'),
  {
    ...{ what: 'its p99 beside that of the pacing alone, on two cores', value: lagTo('free').toFixed(2), aim: '1.2' },
    judged: { ratio: lagTo('free'), most: 1.2 },
  },
  { what: 'the same, on one core', value: lagTo('shared').toFixed(2) },
  {
    what: 'sender busy at 1 000 arrivals/s',
    value: `${(100 * ofPacing(({ shared }) => shared['busy'])).toFixed(0)} % of a core`,
  },
  { what: 'recording one value', value: `${(record['nanoseconds'] ?? NaN).toFixed(0)} ns`, aim: '60 ns' },
  { what: 'a user who waits, of 100 000', value: `${((users['bytes'] ?? NaN) / 1000).toFixed(2)} kB`, aim: '0.45 kB' },
  {
    ...{ what: 'processor time of a request, two threads beside one', aim: '1.1' },
    value: threads.length === 0 ? `${String(cores)} cores` : processorOfTwo.toFixed(2),
    judged: { ratio: processorOfTwo, most: 1.1 },
  },
  {
    what: 'requests of two threads beside one',
    value:
      cores < CORES_TO_SCALE
        ? `cannot tell: ${String(cores)} cores`
        : median(threads.map(([one, two]) => (two['perSecond'] ?? NaN) / (one['perSecond'] ?? NaN))).toFixed(2),
  },
  {
    what: 'an hour at 1 000 requests/s over 20 steps, summed up',
    value: `${(hour['seconds'] ?? NaN).toFixed(2)} s`,
    aim: '1 s',
  },
  { what: 'its findings', value: `${(hour['explainSeconds'] ?? NaN).toFixed(2)} s`, aim: '2 s' },
  { what: 'stored', value: `${(hour['megabytes'] ?? NaN).toFixed(0)} MB`, aim: '60 MB' },
  { what: '`jolt-gate --version` beyond bare node', value: `${startMs().toFixed(0)} ms`, aim: '60 ms' },
  {
    what: 'what the host gave to others',
    value: `${(100 * stolen).toFixed(1)} %`,
    aim: `${String(100 * MOST_STOLEN)} %`,
  },
]
process.stdout.write(tableOf(rows, isQuiet))
if (!canPin) process.stdout.write('The processes could not be pinned to cores of their own: nothing can be told.\n')
else if (!isQuiet) process.stdout.write('The host gave too much to others: what is not met cannot be told.\n')
const missed = rows.filter((row) => metOf(row, isQuiet) === 'missed')
for (const { what } of missed) process.stdout.write(`missed: ${what}\n`)
process.exitCode = missed.length > 0 ? 1 : 0
