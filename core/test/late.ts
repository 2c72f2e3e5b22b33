// What gates say of runs whose generator stood still now and then, held against what they would have said without.
import {
  BoundedRecording,
  judgeGate,
  previewOf,
  shapeOf,
  type Bucket,
  type Draws,
  type GateResult,
} from '../src/index.js'
import {
  exponentialSizes,
  inOrder,
  lastFirst,
  oneAfterAnother,
  poisson,
  seen,
  shared,
  stallsIn,
  trueTimes,
  type Service,
} from './queues.js'
import { planText, read } from './reading.js'

export const SECONDS = 30
const LOAD = `  - { phase: peak, rate: 5/s, for: ${String(SECONDS)}s }`

/** What gates say of some seconds. */
export function judgedAll(rules: readonly string[], buckets: readonly Bucket[]): GateResult[] {
  const { plan, problems } = read(planText({ load: LOAD, gates: rules.map((rule) => `  - ${rule}`).join('\n') }))
  if (problems.length > 0) throw new Error(problems.map(({ message }) => message).join('\n'))
  const shape = shapeOf(plan, previewOf(plan).phases)
  const recording = new BoundedRecording(shape)
  for (const bucket of buckets) recording.add(bucket)
  return plan.gates.slice(0, rules.length).map((gate) => judgeGate(gate, recording, shape))
}

export function percentileOf(times: readonly number[], percent: number): number {
  const sorted = [...times].sort((a, b) => a - b)
  return sorted[Math.ceil((percent / 100) * sorted.length) - 1] ?? NaN
}

/** Services by name: of `busy` of their capacity at 100 requests a second, which are so many. */
export const SERVICES: [string, (busy: number, count: number, draws: Draws) => Service][] = [
  ['in order', (busy, count, draws) => inOrder(exponentialSizes(draws, 10 * busy, count), 1)],
  ['in order, fixed times', (busy, count) => inOrder(new Array<number>(count).fill(10 * busy), 1)],
  ['in order, eight servers', (busy, count, draws) => inOrder(exponentialSizes(draws, 80 * busy, count), 8)],
  ['30 ms each', (_, count) => inOrder(new Array<number>(count).fill(30), 1000)],
  ['shared among all', (busy, count, draws) => shared(exponentialSizes(draws, 10 * busy, count))],
  ['in order, ten places', (busy, count, draws) => inOrder(exponentialSizes(draws, 10 * busy, count), 1, 10)],
  ['last come, first served', (busy, count, draws) => lastFirst(exponentialSizes(draws, 10 * busy, count))],
  [
    'in three steps',
    (busy, count, draws) =>
      oneAfterAnother([
        inOrder(exponentialSizes(draws, 10 * busy, count), 1),
        shared(exponentialSizes(draws, 8 * busy, count)),
        inOrder(exponentialSizes(draws, 18 * busy, count), 2),
      ]),
  ],
]

/** Limits, as multiples of the true value. */
export const LIMITS = [0.7, 0.95, 1.05, 1.4, 2] as const

export interface Judged {
  limit: (typeof LIMITS)[number]
  status: GateResult['status']
}

/**
 * Half a minute of 100 requests a second, with stalls: gates on three percentiles at each limit.
 *
 * @param stalls - how many, each of so many ms
 */
export function judgedWithStalls(
  serviceOf: (busy: number, count: number, draws: Draws) => Service,
  stalls: { count: number; ms: number },
  draws: Draws,
): Judged[] {
  const busy = 0.3 + 0.6 * draws.next()
  const due = poisson(draws, 100, SECONDS)
  const service = serviceOf(busy, due.length, draws)
  const stood = stallsIn(draws, SECONDS, stalls.count, 1).map(({ fromMs }) => ({ fromMs, toMs: fromMs + stalls.ms }))
  const times = trueTimes(due, service).filter(Number.isFinite)
  const asked = [50, 95, 99].flatMap((percent) => LIMITS.map((limit) => ({ percent, limit })))
  const rules = asked.map(
    ({ percent, limit }) =>
      `p${String(percent)} response time under ${(limit * percentileOf(times, percent)).toFixed(3)} ms`,
  )
  const results = judgedAll(rules, seen(due, service, stood))
  return asked.map(({ limit }, index) => ({ limit, status: results[index]?.status ?? 'not judged' }))
}
