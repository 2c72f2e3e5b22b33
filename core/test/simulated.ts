// Runs against a service that is simulated: arrivals of a Poisson process, so many servers, first come, first served.
import {
  Distribution,
  Draws,
  emptyBucket,
  emptyScope,
  emptyStep,
  MAX_DRAWN,
  phaseRanges,
  previewOf,
  RunView,
  shapeOf,
  type Bucket,
  type DrawnCell,
  type Plan,
  type RunShape,
} from '../src/index.js'
import { firstFree } from './queues.js'
import { planText, read } from './reading.js'

export interface SimulatedService {
  servers: number
  /** Users who come at once; one by one unless told. */
  inGroupsOf?: number
  /** Work of a request, in ms, which holds a server. */
  workMs: (atMs: number, draws: Draws) => number
  /** What comes on top without a server, such as the way through the network. */
  delayMs?: (atMs: number, draws: Draws) => number
  /** Why a request fails, or undefined. */
  failure?: (atMs: number, inFlight: number, draws: Draws) => string | undefined
  /** Most who wait; who comes then is rejected with 503. */
  places?: number
  /** What a request is told with, where it is drawn. */
  traits?: (workMs: number, draws: Draws) => Pick<DrawnCell, 'status' | 'bytesReceived' | 'isConnected'>
  /** The row of the data set that a failing request has, from 0. */
  rowOf?: (draws: Draws) => number
  data?: { name: string; rows: number }
  /** Readings of further metrics, by second. */
  metrics?: { name: string; ceiling: number | null; value: (second: number, draws: Draws) => number }[]
}

export interface Simulated {
  plan: Plan
  view: RunView
}

/** Exponential work of a mean. */
export const exponential = (meanMs: number) => (_at: number, draws: Draws) => meanMs * draws.nextExponential()

export const HEALTHY: SimulatedService = { servers: 20, workMs: exponential(40), delayMs: () => 5 }

/**
 * Runs a load against a service.
 *
 * @param load - phases as the format writes them
 */
export function simulate(load: string, service: SimulatedService, seed = 1, gates = '  []'): Simulated {
  const { plan, problems } = read(planText({ load, gates }))
  if (problems.length > 0) throw new Error(problems[0]?.message)
  const metrics = [
    { name: 'busy places', unit: '', ceiling: service.servers, family: '', url: '', labels: {} },
    ...(service.metrics ?? []).map(({ name, ceiling }) => ({
      name,
      ceiling,
      unit: '',
      family: '',
      url: '',
      labels: {},
    })),
  ]
  const shape = shapeOf(plan, previewOf(plan).phases)
  shape.metrics = metrics.map(({ name, unit, ceiling }) => ({ name, unit, ceiling }))
  if (service.data !== undefined) shape.data = [service.data]
  const view = new RunView({ gates: plan.gates, shape, satisfiedMs: plan.satisfiedMs })
  for (const bucket of bucketsOf(shape, service, new Draws(seed).at(0, 0, 0))) view.add({ kind: 'bucket', bucket })
  view.add({ kind: 'end' })
  return { plan, view }
}

interface Served {
  phase: number
  dueMs: number
  endMs: number
  startMs: number
  traits?: Pick<DrawnCell, 'status' | 'bytesReceived' | 'isConnected'> | undefined
  kind: string | undefined
}

function bucketsOf(shape: RunShape, service: SimulatedService, draws: Draws): Bucket[] {
  const due = arrivals(shape, draws, service.inGroupsOf ?? 1)
  const served = serve(due, service, draws)
  const lengthMs = Math.max(...phaseRanges(shape).map(({ toMs }) => toMs))
  const seconds = Math.max(Math.ceil(lengthMs / 1000), ...served.map(({ endMs }) => Math.floor(endMs / 1000) + 1))
  const buckets = Array.from({ length: seconds }, (_, second) => emptyBucket(second))
  for (const { phase, dueMs, endMs, kind, traits } of served) {
    const bucket = buckets[Math.floor(endMs / 1000)]
    if (bucket === undefined) continue
    let cell = bucket.steps.find((step) => step.phase === phase)
    if (cell === undefined) bucket.steps.push((cell = emptyStep(phase, phase, 0, 0)))
    let journey = bucket.journeys.find((one) => one.phase === phase)
    if (journey === undefined) {
      bucket.journeys.push((journey = emptyScope(phase, 0, 0)))
    }
    cell.requests++
    journey.started++
    if (traits !== undefined && bucket.drawn.length < MAX_DRAWN)
      bucket.drawn.push({ phase, step: 0, totalMs: endMs - dueMs, ...traits })
    if (kind === undefined) {
      cell.responseTime.record(1000 * (endMs - dueMs))
      journey.finished++
      continue
    }
    cell.failed++
    journey.endedFailed++
    cell.failedTime.record(1000 * (endMs - dueMs))
    bucket.failures.push({
      phase,
      step: 0,
      kind: 'status',
      detail: kind,
      count: 1,
      firstAtMs: endMs,
      sample: '',
      kept: '',
      rows: service.rowOf === undefined ? [] : [{ data: 0, row: service.rowOf(draws), count: 1 }],
    })
  }
  const mostUsers = mostInFlight(served)
  const [startedIn, busyIn] = [startedBySecond(due, seconds), busyBySecond(served, seconds)]
  for (const [second, bucket] of buckets.entries()) {
    for (const phase of shape.phases.keys()) {
      const started = startedIn.get(phase)?.[second] ?? 0
      if (started === 0) continue
      const startLag = new Distribution()
      startLag.record(0)
      bucket.arrivals.push({ phase, started, missed: 0, capped: 0, outOfData: 0, startLag })
    }
    bucket.users = mostUsers[second] ?? 0
    bucket.metrics = [
      Math.min(service.servers, busyIn[second] ?? 0),
      ...(service.metrics ?? []).map(({ value }) => value(second, draws)),
    ]
  }
  return buckets
}

/** How many start in each second, by phase. */
function startedBySecond(due: readonly { phase: number; dueMs: number }[], seconds: number): Map<number, number[]> {
  const started = new Map<number, number[]>()
  for (const { phase, dueMs } of due) {
    const counts = started.get(phase) ?? new Array<number>(seconds).fill(0)
    started.set(phase, counts)
    const second = Math.floor(dueMs / 1000)
    counts[second] = (counts[second] ?? 0) + 1
  }
  return started
}

/** How many are served in the middle of each second. */
function busyBySecond(served: readonly Served[], seconds: number): number[] {
  const busy = new Array<number>(seconds).fill(0)
  for (const { startMs, endMs } of served)
    for (let second = Math.ceil(startMs / 1000 - 0.5); (second + 0.5) * 1000 < endMs; second++)
      busy[second] = (busy[second] ?? 0) + 1
  return busy
}

/** The most who are in flight at once, by second. */
function mostInFlight(served: readonly Served[]): number[] {
  const moves = served.flatMap(({ dueMs, endMs }) => [
    { atMs: dueMs, by: 1 },
    { atMs: endMs, by: -1 },
  ])
  const most: number[] = []
  let [inside, second] = [0, 0]
  for (const { atMs, by } of moves.toSorted((one, other) => one.atMs - other.atMs)) {
    for (; second < Math.floor(atMs / 1000); second++) most[second + 1] = inside
    inside += by
    most[second] = Math.max(most[second] ?? 0, inside)
  }
  return most
}

function arrivals(shape: RunShape, draws: Draws, group: number): { phase: number; dueMs: number }[] {
  return phaseRanges(shape).flatMap(({ fromMs, toMs }, phase) => {
    const [from = 0, to = 0] = shape.phases[phase]?.rates ?? []
    const top = Math.max(from, to)
    const due: { phase: number; dueMs: number }[] = []
    // Thinning: P. A. W. Lewis and G. S. Shedler, 1979.
    for (let at = fromMs; top > 0;) {
      at += (1000 * group * draws.nextExponential()) / top
      if (at >= toMs) break
      if (draws.next() * top <= from + ((to - from) * (at - fromMs)) / (toMs - fromMs))
        for (let user = 0; user < group; user++) due.push({ phase, dueMs: at })
    }
    return due
  })
}

function serve(due: { phase: number; dueMs: number }[], service: SimulatedService, draws: Draws): Served[] {
  const freeAt = new Array<number>(service.servers).fill(0)
  let leaving: number[] = []
  return due.map(({ phase, dueMs }) => {
    leaving = leaving.filter((end) => end > dueMs)
    const inFlight = leaving.length
    const kind = service.failure?.(dueMs, inFlight, draws)
    if (inFlight >= service.servers + (service.places ?? Infinity))
      return { phase, dueMs, startMs: dueMs, endMs: dueMs + 1, kind: '503' }
    const server = firstFree(freeAt)
    const startMs = Math.max(dueMs, freeAt[server] ?? 0)
    const workMs = service.workMs(startMs, draws)
    const doneMs = startMs + workMs
    freeAt[server] = doneMs
    leaving.push(doneMs)
    const endMs = doneMs + (service.delayMs?.(dueMs, draws) ?? 0)
    return { phase, dueMs, startMs, endMs, kind, traits: service.traits?.(workMs, draws) }
  })
}
