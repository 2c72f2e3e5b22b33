// Keeps the seconds of a run, and computes what the page shows, for the whole run or for a marked range.
import {
  bytesOfBase64,
  decodeBucket,
  familyOf,
  gateBySecond,
  judgeGate,
  phaseRanges,
  Recording,
  scopeOf,
  secondsOf,
  stepSummaries,
  type Bucket,
  type Gate,
  type GateResult,
  type Plan,
  type RunShape,
  type StepSummary,
} from '@jolt-gate/core'

export interface TimeRange {
  fromSecond: number
  /** Not included. */
  toSecond: number
}

export type ToRunWorker =
  | { kind: 'open'; plan: Plan; shape: RunShape }
  | { kind: 'bucket'; data: string }
  | { kind: 'mark'; range: TimeRange | null }

/** One gate on a response time, as it is drawn: a beam over its phases. */
export interface Beam {
  label: string
  limitMs: number
  isUpper: boolean
  isBreached: boolean
  spans: { fromSecond: number; toSecond: number }[]
  values: (number | null)[]
}

export interface RunView {
  seconds: number
  started: number[]
  users: number[]
  requests: number[]
  median: (number | null)[]
  p95: (number | null)[]
  p99: (number | null)[]
  failures: { kind: string; total: number; counts: number[] }[]
  startLag: (number | null)[]
  busy: number[]
  metrics: { name: string; unit: string; ceiling: number | null; values: (number | null)[] }[]
  gates: GateResult[]
  beams: Beam[]
  steps: StepSummary[]
  /** The range that `steps` was computed for; null is all measured phases. */
  range: TimeRange | null
}

const TELL_AFTER_MS = 60

let plan: Plan | undefined
let shape: RunShape | undefined
let recording = new Recording()
let buckets: Bucket[] = []
let range: TimeRange | null = null
let timer: ReturnType<typeof setTimeout> | undefined

self.onmessage = ({ data }: MessageEvent<ToRunWorker>) => {
  switch (data.kind) {
    case 'open':
      plan = data.plan
      shape = data.shape
      recording = new Recording()
      buckets = []
      break
    case 'bucket': {
      const bucket = decodeBucket(bytesOfBase64(data.data))
      recording.add(bucket)
      buckets.push(bucket)
      break
    }
    case 'mark':
      range = data.range
      break
    default:
      data satisfies never
  }
  // Many seconds come at once when a finished run is opened: they are told together.
  clearTimeout(timer)
  timer = setTimeout(tell, TELL_AFTER_MS)
}

function tell(): void {
  if (plan === undefined || shape === undefined) return
  const view = viewOf(plan, shape)
  self.postMessage(view)
}

function viewOf(ofPlan: Plan, ofShape: RunShape): RunView {
  const rows = recording.seconds
  const times = (percent: number) =>
    rows.map((row) => (row.responseTime.count === 0 ? null : row.responseTime.percentile(percent) / 1000))
  const kinds = [...new Set(rows.flatMap((row) => [...row.failures.keys()]))]
  const gates = ofPlan.gates.map((gate) =>
    isTooEarly(gate, ofShape)
      ? { ...judgeGate(gate, recording, ofShape), status: 'not judged' as const }
      : judgeGate(gate, recording, ofShape, { buckets }),
  )
  return {
    seconds: rows.length,
    started: rows.map((row) => row.started),
    users: rows.map((row) => row.users),
    requests: rows.map((row) => row.requests),
    median: times(50),
    p95: times(95),
    p99: times(99),
    failures: kinds
      .map((kind) => {
        const counts = rows.map((row) => row.failures.get(kind) ?? 0)
        return { kind, counts, total: counts.reduce((sum, count) => sum + count, 0) }
      })
      .sort((a, b) => b.total - a.total),
    startLag: rows.map((row) => (row.startLag.count === 0 ? null : row.startLag.percentile(99) / 1000)),
    busy: rows.map((row) => row.busy),
    metrics: ofShape.metrics.map((metric, index) => ({
      ...metric,
      values: rows.map((row) => row.metrics[index] ?? null),
    })),
    gates,
    beams: beamsOf(ofPlan, ofShape, gates),
    steps: stepsOf(ofShape),
    range,
  }
}

/** A lower limit on a count or a rate is only judged when its phases are over: until then it is on its way. */
function isTooEarly(gate: Gate, ofShape: RunShape): boolean {
  const isLower = gate.comparison === 'at least' || gate.comparison === 'over'
  const scope = scopeOf(gate, ofShape)
  const ends = phaseRanges(ofShape).flatMap((range, phase) => (scope.isPhase(phase) ? [range.toMs / 1000] : []))
  return isLower && familyOf(gate.measure) !== 'time' && recording.seconds.length < Math.max(0, ...ends)
}

/** Gates on response times as beams; those that one sentence makes for each step are one. */
function beamsOf(ofPlan: Plan, ofShape: RunShape, gates: GateResult[]): Beam[] {
  const ranges = phaseRanges(ofShape)
  const beams = new Map<number, Beam>()
  for (const [index, gate] of ofPlan.gates.entries()) {
    if (gate.measure.kind !== 'response time' || gate.limit.kind !== 'fixed') continue
    const scope = scopeOf(gate, ofShape)
    const isUpper = gate.comparison === 'under' || gate.comparison === 'at most'
    const values = gateBySecond(gate, buckets, ofShape)
    const isBreached = gates[index]?.status === 'breached'
    const known = beams.get(gate.at.line)
    if (known !== undefined) {
      known.isBreached ||= isBreached
      known.values = worstOf(known.values, values, isUpper)
      continue
    }
    beams.set(gate.at.line, {
      label: gate.written
        .replace('response time of ', 'of ')
        .replace(/ during .*? (?=under|at most|over|at least)/, ' '),
      limitMs: gate.limit.value,
      isUpper,
      isBreached,
      spans: joined(
        ranges.flatMap((range, phase) =>
          scope.isPhase(phase) ? [{ fromSecond: range.fromMs / 1000, toSecond: range.toMs / 1000 }] : [],
        ),
      ),
      values,
    })
  }
  return [...beams.values()]
}

/** Second by second the value that is nearer to a breach. */
function worstOf(one: Beam['values'], other: Beam['values'], isUpper: boolean): Beam['values'] {
  return Array.from({ length: Math.max(one.length, other.length) }, (_, second) => {
    const [a = null, b = null] = [one[second], other[second]]
    if (a === null || b === null) return a ?? b
    return isUpper ? Math.max(a, b) : Math.min(a, b)
  })
}

/** Spans that touch are one. */
function joined(spans: Beam['spans']): Beam['spans'] {
  const result: Beam['spans'] = []
  for (const span of spans) {
    const last = result.at(-1)
    if (last?.toSecond === span.fromSecond) last.toSecond = span.toSecond
    else result.push({ ...span })
  }
  return result
}

function stepsOf(ofShape: RunShape): StepSummary[] {
  if (range === null) {
    const isMeasured = (phase: number) => ofShape.phases[phase]?.measured === true
    const seconds = secondsOf(ofShape, { isPhase: isMeasured })
    return stepSummaries(recording, ofShape, isMeasured, seconds)
  }
  const { fromSecond, toSecond } = range
  const part = new Recording()
  for (const bucket of buckets) if (bucket.second >= fromSecond && bucket.second < toSecond) part.add(bucket)
  return stepSummaries(part, ofShape, () => true, toSecond - fromSecond)
}
