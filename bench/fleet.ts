// A thousand generators through one coordinator: what it costs to take a second of all of them, by their bytes.
// node --expose-gc --import tsx bench/fleet.ts [GENERATORS] [SECONDS]
import {
  Distribution,
  Draws,
  emptyBucket,
  emptyStep,
  encodeBucket,
  gatesOf,
  previewOf,
  readPlan,
  RunView,
  shapeOf,
  type GeneratorFaults,
} from '@jolt-gate/core'
import { FleetLoad, type Member } from '../engine/src/fleet/fleet-load.js'
import { Line } from '../engine/src/fleet/line.js'
import { readTold } from '../engine/src/fleet/words.js'

const [generators = 1000, seconds = 30] = process.argv.slice(2).map(Number)
/** The aims: of one core, and of memory beside what was there before. */
const [MOST_SHARE, MOST_MB] = [0.5, 200]
const STEPS = ['search', 'view', 'hold', 'pay']
const REQUESTS_EACH = 40

const text = `jolt: 1
name: Fleet
target: http://127.0.0.1:1
places: { north: 3, south: 1 }
journeys:
  a:
    steps:
${STEPS.map((name) => `      - { send: GET /${name}, name: ${name} }`).join('\n')}
load:
  - { phase: p, rate: 1000/s, for: ${String(seconds)}s }
gates:
  - p95 response time at most 1 s
  - p95 response time from place "south" at most 1 s
`
const { plan, target } = readPlan('fleet.gate.yaml', text, { files: () => undefined })
if (target === undefined) throw new Error('the plan has no target')
const shape = shapeOf(plan, previewOf(plan).phases)
const draws = new Draws(1)

/** A second as a generator tells it. */
function secondOf(second: number, generator: number): Uint8Array {
  const bucket = emptyBucket(second)
  const random = draws.at(second, generator, 0)
  for (const step of STEPS.keys()) {
    const responseTime = new Distribution()
    for (let request = 0; request < REQUESTS_EACH; request++)
      responseTime.record(20_000 * Math.exp(random.nextNormal()))
    bucket.steps.push({ ...emptyStep(0, 0, step, 0), requests: REQUESTS_EACH, responseTime })
  }
  bucket.arrivals.push({
    ...{ phase: 0, started: REQUESTS_EACH, missed: 0, capped: 0, outOfData: 0, startLag: new Distribution() },
  })
  return encodeBucket(bucket)
}

const never = new Promise<never>(() => undefined)
/** Words to generators that are not there are said to nobody. */
class SilentLine extends Line {
  override say(): Promise<never> {
    return never
  }
}
const members = Array.from({ length: generators }, (_, index): Member => {
  const place = index % 4 === 3 ? 'south' : 'north'
  const line = new SilentLine(`${place}/g${String(index)}`, {} as never)
  const row = { version: '', session: '', key: '', cores: 4, threads: 1, mostPerSecond: null, allowsLoopback: false }
  return { ...row, id: line.id, place, run: null, now: null, seenAtMs: 0, first: index, count: 1, line }
})
// Bytes are made before: what is measured is taking them.
const told = Array.from({ length: seconds }, (_, second) => members.map((_member, index) => secondOf(second, index)))
const faults: GeneratorFaults = { local: [], deaths: [] }
const view = new RunView({ gates: gatesOf(plan), shape })
const data = {
  plan,
  target,
  shape,
  run: { id: 'r', seed: 1, startedAtMs: 0, secrets: {}, overrides: {} },
  files: new Map(),
}
const order = { setupValues: [], maskedValues: [], mostLateMs: 1000, warmsUp: false, tellsSamples: false }

globalThis.gc?.()
const memoryBefore = process.memoryUsage().rss
let mostBytes = 0
const before = process.cpuUsage()
const load = new FleetLoad(members, data, [{ weight: 1, shares: generators }], order, faults, {
  onBucket: (bucket) => {
    view.add({ kind: 'bucket', bucket })
  },
  onSamples: () => undefined,
  onDataSpent: () => undefined,
  onIterationsMade: () => undefined,
  onDeath: () => undefined,
  onLoss: () => undefined,
})
let acknowledged = 0
for (const second of told) {
  for (const [index, bytes] of second.entries()) {
    const read = readTold('bucket', bytes)
    if (read.kind === 'bucket') load.take(members[index]?.id ?? '', read, () => acknowledged++)
  }
  mostBytes = Math.max(mostBytes, process.memoryUsage().rss)
}
const { user, system } = process.cpuUsage(before)
const share = (user + system) / 1e6 / seconds
const megabytes = (mostBytes - memoryBefore) / 1e6
const requests = [...view.recording.steps.values()].reduce((sum, cell) => sum + cell.requests, 0)
const isWhole =
  requests === generators * seconds * STEPS.length * REQUESTS_EACH && acknowledged === generators * seconds
const bytesEach = (told[0] ?? []).reduce((sum, { length }) => sum + length, 0) / generators
process.stdout.write(
  `${String(generators)} generators, ${String(seconds)} s, ${bytesEach.toFixed(0)} bytes each a second
of one core   ${share.toFixed(3)}   (aim ${String(MOST_SHARE)})
memory        ${megabytes.toFixed(0)} MB   (aim ${String(MOST_MB)})
all counted   ${isWhole ? 'yes' : 'no'}
`,
)
process.exit(isWhole && share < MOST_SHARE && megabytes < MOST_MB ? 0 : 1)
