// `npm run bench`: the generator on one core, its target on the other; what is compared is measured in turns in one
// run.
import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { createInterface } from 'node:readline'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

const ROUNDS = 5
const folder = fileURLToPath(new URL('.', import.meta.url))
const canPin = availableParallelism() > 1 && spawnSync('taskset', ['-c', '0', 'true']).status === 0
const pinned = (core: number, file: string, args: string[]): [string, string[]] => {
  const node = ['--expose-gc', '--import', 'tsx', `${folder}${file}`, ...args]
  return canPin ? ['taskset', ['-c', String(core), process.execPath, ...node]] : [process.execPath, node]
}

const target = spawn(...pinned(1, 'target.ts', []), { stdio: ['ignore', 'pipe', 'inherit'] })
process.on('exit', () => target.kill())
const origin = await new Promise<string>((resolve) => {
  createInterface({ input: target.stdout }).on('line', (line) => resolve(line.replace('answers at ', '')))
})
const measure = (part: string, more: string[] = []): Record<string, number> =>
  JSON.parse(execFileSync(...pinned(0, 'parts.ts', [part, origin, ...more]), { encoding: 'utf8' })) as Record<
    string,
    number
  >
const unpinned = (part: string, more: string[]): Record<string, number> =>
  JSON.parse(
    execFileSync(process.execPath, ['--import', 'tsx', `${folder}parts.ts`, part, origin, ...more], {
      encoding: 'utf8',
    }),
  ) as Record<string, number>
const median = (values: number[]) => values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)] ?? NaN

/** Requests of each second of a run of the command as it is published: 64 users, on the generator's core. */
function command(): number[] {
  const work = mkdtempSync(join(tmpdir(), 'jolt-gate-bench-'))
  const plan = `jolt: 1\nname: b\ntarget: ${origin}\njourneys:\n  a:\n    steps:\n      - send: GET /sailings{?from}\n        with: { from: LARKHOLM }\n        check: ["status is 200"]\n        keep: { id: "json $.sailings[0].id" }\nload:\n  - { phase: p, users: 64, for: 8s }\n`
  writeFileSync(join(work, 'b.gate.yaml'), plan)
  const args = [bundled, 'run', join(work, 'b.gate.yaml'), '--quiet', '--csv', join(work, 'b.csv')]
  const [file, all] = canPin ? ['taskset', ['-c', '0', process.execPath, ...args]] : [process.execPath, args]
  spawnSync(file, all, { stdio: 'ignore' })
  const [head = '', ...lines] = readFileSync(join(work, 'b.csv'), 'utf8').trim().split('\n')
  const column = head.split(',').indexOf('requests')
  rmSync(work, { recursive: true })
  return lines.map((line) => Number(line.split(',')[column]))
}
const bundled = fileURLToPath(new URL('../cli/bundle/main.js', import.meta.url))

const rounds = Array.from({ length: ROUNDS }, () => ({
  sockets: measure('sockets')['perSecond'] ?? NaN,
  command: command(),
  bare: measure('bare')['perSecond'] ?? NaN,
  full: measure('full')['perSecond'] ?? NaN,
}))
const pacing = Array.from({ length: ROUNDS }, () => ({
  alone: measure('pace'),
  shared: measure('lag'),
  free: unpinned('lag', []),
}))
const record = measure('record')
const users = measure('users')
const hour = measure('hour')
// Two senders need two cores beside the target's: with fewer there is nothing to compare.
const cores = availableParallelism()
const threads =
  cores < 3 ? undefined : [1, 2].map((senders) => unpinned('threads', [String(senders)])['perSecond'] ?? NaN)

const row = (what: string, value: string) => process.stdout.write(`| ${what} | ${value} |\n`)
row('measured', 'value')
row('---', '---:')
row('bare undici request loop, 64 connections', `${median(rounds.map((round) => round.bare)).toFixed(0)}/s`)
row('bare sockets, 64 connections', `${median(rounds.map((round) => round.sockets)).toFixed(0)}/s`)
for (const [what, second] of [
  ['first', 0],
  ['third', 2],
  ['seventh', 6],
] as const) {
  const made = rounds.map((round) => round.command[second] ?? NaN)
  const toBare = median(rounds.map((round) => (round.command[second] ?? NaN) / round.bare))
  const toSockets = median(rounds.map((round) => (round.command[second] ?? NaN) / round.sockets))
  row(
    `the command, 64 users, ${what} second; beside undici, and beside sockets`,
    `${median(made).toFixed(0)}/s; ${toBare.toFixed(2)}, ${toSockets.toFixed(2)}`,
  )
}
row('our full path, 64 connections', `${median(rounds.map((round) => round.full)).toFixed(0)}/s`)
row('ratio, round by round', rounds.map((round) => (round.full / round.bare).toFixed(2)).join(', '))
row('ratio, median', median(rounds.map((round) => round.full / round.bare)).toFixed(2))
const ofPacing = (read: (round: (typeof pacing)[number]) => number | undefined) =>
  median(pacing.map((round) => read(round) ?? NaN))
row('pacing alone at 1 000 rings/s', `${(100 * ofPacing(({ alone }) => alone['cores'])).toFixed(0)} % of a core`)
for (const [where, of] of [
  ['the pacing alone', 'alone'],
  ['command and sender on one core', 'shared'],
  ['command and sender on two cores', 'free'],
] as const) {
  const p99 = ofPacing((round) => round[of]['p99Ms'])
  const ratio = ofPacing((round) => (round[of]['p99Ms'] ?? NaN) / (round.alone['p99Ms'] ?? NaN))
  row(
    `start lag over 10 s at 1 000 arrivals/s, ${where}: p50, p99, p99 beside the pacing alone`,
    `${ofPacing((round) => round[of]['p50Ms']).toFixed(2)} ms, ${p99.toFixed(2)} ms, ${ratio.toFixed(2)}`,
  )
}
row(
  'sender thread busy at 1 000 arrivals/s',
  `${(100 * ofPacing(({ shared }) => shared['busy'])).toFixed(0)} % of a core`,
)
row('recording one value', `${record['nanoseconds']?.toFixed(0) ?? ''} ns`)
row('a user who waits, of 100 000', `${((users['bytes'] ?? NaN) / 1000).toFixed(2)} kB`)
row('an hour at 1 000 requests/s over 20 steps, summed up', `${(hour['seconds'] ?? NaN).toFixed(2)} s`)
row('an hour at 1 000 requests/s over 20 steps, its findings', `${(hour['explainSeconds'] ?? NaN).toFixed(2)} s`)
row('an hour at 1 000 requests/s over 20 steps, stored', `${(hour['megabytes'] ?? NaN).toFixed(0)} MB`)
row(
  'two sender threads beside one',
  threads === undefined
    ? `not measured: ${String(cores)} cores`
    : ((threads[1] ?? NaN) / (threads[0] ?? NaN)).toFixed(2),
)
target.kill()
if (!canPin)
  process.stdout.write('The processes could not be pinned to cores of their own: read the ratios with care.\n')
