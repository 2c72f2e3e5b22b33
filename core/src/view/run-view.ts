// A run as it is seen: fed event by event, it answers every table, lane, gate and time range. The command, the server's
// result and the page's worker all hold one, so that they show the same figures for the same seconds.
import { holds } from '../language/comparisons.js'
import { baselineValue, type Baseline, type BaselineValue } from '../judge/baseline.js'
import type { GateResult } from '../judge/gate-result.js'
import { GateBatches } from '../judge/gate-batches.js'
import { isPastItsPhases, judgeGate, secondReader } from '../judge/gates.js'
import { judgeGateOfRun } from '../judge/gates-of-run.js'
import { satisfiedMsOf } from '../plan/satisfied.js'
import { limitOf } from '../judge/subject.js'
import { scopeOf, secondsOf } from '../judge/scope.js'
import type { Bucket } from '../measure/bucket.js'
import { BoundedRecording, type RangeTotals } from '../measure/bounds.js'
import type { Loss } from '../measure/loss.js'
import { Recording, type SecondRow } from '../measure/recording.js'
import type { RunShape } from '../measure/shape.js'
import type { Gate } from '../plan/model.js'
import type { Distribution } from '../numbers/distribution.js'
import { familyOf, isOfRun, type Measured } from '../plan/measures.js'
import { partSummary, type PartSummary } from './parts.js'
import { phaseSummaries, phasesWithin, type PhasePart, type PhaseSummary } from './phases.js'
import { groupSummaries, journeySummaries, type GroupSummary, type JourneySummary } from './scopes.js'
import { TimeRanges } from './time-ranges.js'
import { timesIn, type TimesOf } from './times.js'
import { stepSummaries, type StepSummary } from './summaries.js'

/** What happens in a run, in order; it travels as it stands, from the engine to the pages. */
export type RunEvent =
  /** A full second, merged over all senders; each second comes once, in order. */
  | { kind: 'bucket'; bucket: Bucket }
  /** A stop rule fired, for what its gate saw in that second, in the gate's unit. */
  | { kind: 'stop rule'; gate: number; atMs: number; value: number | null }
  /** A person stopped the run. */
  | { kind: 'stopped'; atMs: number }
  /** A generator was lost, and the others go on. */
  | { kind: 'loss'; loss: Loss }
  /** Phases were as long as this: iterations end by themselves, and an early end cuts phases short. */
  | { kind: 'phases'; seconds: number[] }
  /** Nothing more comes: what a gate was waiting for does not come either. */
  | { kind: 'end' }

/** Seconds of a run, from one to before another. */
export interface TimeRange {
  fromSecond: number
  /** Not included. */
  toSecond: number
}

/** Series of a run, a value for each second; null where nothing was measured. Times in ms. */
export interface Series {
  started: number[]
  users: number[]
  requests: number[]
  failed: number[]
  median: (number | null)[]
  p95: (number | null)[]
  p99: (number | null)[]
  /** At p99. */
  startLag: (number | null)[]
  /** How long a sender's event loop stood still, at most. */
  stall: number[]
  /** The generator error. */
  error: number[]
  busy: number[]
  steal: number[]
  failures: Map<string, number[]>
  metrics: (number | null)[][]
}

/** What is known of one gate so far. */
interface GateState {
  gate: Gate
  baseline: BaselineValue | null
  limit: number | null
  read: (second: number, measured: Measured) => number | null
  batches: GateBatches
  /** What the measure was in each second, in the gate's unit. */
  values: (number | null)[]
  firstBreachAtMs: number | null
  stoppedAtMs: number | null
  stoppedValue: number | null
}

/** The same run as it was made at one place alone, or for the users of one network. */
export interface PartView {
  name: string
  view: RunView
}

export interface RunViewOptions {
  gates: readonly Gate[]
  /** Its phases change with the events; it is copied. */
  shape: RunShape
  /** T of Apdex, where the plan says it. */
  satisfiedMs?: number | undefined
  baseline?: Baseline | undefined
}

export class RunView {
  readonly shape: RunShape
  /** All that is judged: where a gate or a person stopped the run, what had ended until then. */
  readonly recording: BoundedRecording
  /** What a stop cut off, or let end after it. */
  readonly afterStop = new Recording()
  readonly series: Series
  /** Every second that is judged, without what was in flight. */
  readonly buckets: Bucket[] = []
  /** In the order of the shape; none where all is one place, or one network. */
  readonly places: readonly PartView[]
  readonly networks: readonly PartView[]
  private readonly timeRanges: TimeRanges
  /** T of Apdex for the impact; null where nothing in the plan says how fast is fast enough. */
  readonly satisfiedMs: number | null
  private readonly states: GateState[]
  private readonly limitsCapped: boolean
  private hasEnded = false
  private judgedUntilMs = Infinity

  constructor({ gates, shape, satisfiedMs, baseline }: RunViewOptions) {
    this.satisfiedMs = satisfiedMsOf(satisfiedMs, gates)
    this.shape = { ...shape, phases: shape.phases.map((phase) => ({ ...phase })) }
    this.limitsCapped = gates.some(({ measure }) => measure.kind === 'capped arrivals')
    this.recording = new BoundedRecording(this.shape)
    this.timeRanges = new TimeRanges(this.shape)
    this.series = emptySeries(shape.metrics.length)
    const partsOf = (names: readonly string[] = [], of: 'place' | 'network'): PartView[] =>
      names.map((name) => {
        const own = gates.filter((gate) => gate[of] === name).map(anywhere)
        return { name, view: new RunView({ gates: own, shape: { ...this.shape, ...NO_PARTS }, satisfiedMs }) }
      })
    this.places = partsOf(shape.places, 'place')
    this.networks = partsOf(shape.networks, 'network')
    this.states = gates.map((gate) => {
      const ofBaseline = gate.limit.kind === 'baseline' && baseline !== undefined ? baselineValue(baseline, gate) : null
      return {
        gate,
        baseline: ofBaseline,
        limit: limitOf(gate, ofBaseline?.observed ?? null),
        read: secondReader(gate, this.shape),
        batches: new GateBatches(gate, this.shape, scopeOf(gate, this.shape)),
        values: [],
        firstBreachAtMs: null,
        stoppedAtMs: null,
        stoppedValue: null,
      }
    })
  }

  /** Takes what happened next. The cost of a second does not grow with the length of the run. */
  add(event: RunEvent): void {
    this.tellParts(event)
    switch (event.kind) {
      case 'bucket':
        this.addBucket(event.bucket)
        return
      case 'stop rule': {
        const state = this.states[event.gate]
        if (state !== undefined) {
          state.stoppedAtMs = event.atMs
          state.stoppedValue = event.value
        }
        this.judgedUntilMs = Math.min(this.judgedUntilMs, event.atMs)
        return
      }
      case 'stopped':
        this.judgedUntilMs = Math.min(this.judgedUntilMs, event.atMs)
        return
      case 'loss':
        this.addLoss(event.loss)
        return
      case 'phases':
        for (const [index, phase] of this.shape.phases.entries()) phase.seconds = event.seconds[index] ?? phase.seconds
        return
      case 'end':
        this.hasEnded = true
        return
      default:
        event satisfies never
    }
  }

  /** What happened in each part; what a stop rule saw was of all of them. */
  private tellParts(event: RunEvent): void {
    for (const [index, { view }] of this.places.entries()) {
      if (event.kind === 'bucket')
        for (const { place, bucket } of event.bucket.places) if (place === index) view.add({ kind: 'bucket', bucket })
      if (event.kind !== 'loss' || event.loss.place === index) tellPart(view, event)
    }
    for (const [index, { view }] of this.networks.entries()) {
      if (event.kind === 'bucket')
        for (const { network, bucket } of event.bucket.networks)
          if (network === index) view.add({ kind: 'bucket', bucket })
      // Nobody knows over which of them came what was under way: of each it may have been all.
      tellPart(view, event)
    }
  }

  /** What nobody makes any more is not due. */
  private addLoss(loss: Loss): void {
    if (loss.atMs >= this.judgedUntilMs) return
    this.recording.losses.push(loss)
    for (const [index, phase] of this.shape.phases.entries())
      phase.arrivalsDue = Math.min(phase.arrivalsDue, loss.left[index] ?? Infinity)
  }

  /** When a gate or a person stopped the run, in ms from the start of the load; null when none did. */
  get stoppedAtMs(): number | null {
    return this.judgedUntilMs === Infinity ? null : this.judgedUntilMs
  }

  /** Full seconds so far. */
  get seconds(): number {
    return this.recording.seconds.length
  }

  /**
   * Every gate as it stands. While the run lasts, a lower limit on a count or a rate is not judged before its phases
   * are over: it is still on its way.
   */
  gates(): GateResult[] {
    const ofParts = (parts: readonly PartView[]) => new Map(parts.map(({ name, view }) => [name, view.gates()]))
    const [ofPlaces, ofNetworks] = [ofParts(this.places), ofParts(this.networks)]
    return this.states.map(({ gate, baseline, batches, firstBreachAtMs, stoppedAtMs, stoppedValue }) => {
      // Those of a part stand there in the same order.
      const ofPart = (ofPlaces.get(gate.place ?? '') ?? ofNetworks.get(gate.network ?? ''))?.shift()
      if (ofPart !== undefined) return ofPart
      const known = { limitsCapped: this.limitsCapped, baseline, batches, firstBreachAtMs, stoppedAtMs, stoppedValue }
      if (isOfRun(gate.measure)) return judgeGateOfRun(gate, this, known, this.hasEnded)
      const result = judgeGate(gate, this.recording, this.shape, known)
      const waits = !this.hasEnded && stoppedAtMs === null && isLowerOnLoad(gate)
      return waits && !isPastItsPhases(gate, this.shape, this.seconds) ? { ...result, status: 'not judged' } : result
    })
  }

  /** What the measure of a gate was in each second, in the gate's unit. */
  gateValues(gate: number): readonly (number | null)[] {
    return this.states[gate]?.values ?? []
  }

  /** The table of steps: over all measured phases, or over a range of seconds, whatever phases lie in it. */
  steps(range: TimeRange | null = null): StepSummary[] {
    if (range === null) return stepSummaries(this.recording, this.shape, this.isMeasured, this.measuredSeconds())
    return stepSummaries(this.within(range), this.shape, () => true, range.toSecond - range.fromSecond)
  }

  /** The table of places, or of networks; empty where there is but one. */
  ofParts(of: 'places' | 'networks', range: TimeRange | null = null): PartSummary[] {
    return this[of].map(({ name, view }) =>
      range === null
        ? partSummary(name, view.recording, this.isMeasured, this.measuredSeconds())
        : partSummary(name, view.within(range), () => true, range.toSecond - range.fromSecond),
    )
  }

  /** While the run lasts a rate is one over the seconds that have passed, not over those to come. */
  private measuredSeconds(): number {
    const untilMs = this.hasEnded ? Infinity : 1000 * this.seconds
    return secondsOf(this.shape, { isPhase: this.isMeasured }, untilMs)
  }

  /** The groups: over all measured phases, or over a range of seconds. */
  groups(range: TimeRange | null = null): GroupSummary[] {
    return range === null
      ? groupSummaries(this.recording, this.shape, this.isMeasured)
      : groupSummaries(this.within(range), this.shape, () => true)
  }

  /** The journeys: over all measured phases, or over a range of seconds. */
  journeys(range: TimeRange | null = null): JourneySummary[] {
    return range === null
      ? journeySummaries(this.recording, this.shape, this.isMeasured)
      : journeySummaries(this.within(range), this.shape, () => true)
  }

  /** All times of a step, group or journey: over all measured phases, or over a range of seconds. */
  times(of: TimesOf, range: TimeRange | null = null): Distribution {
    return range === null
      ? timesIn(this.recording, this.shape, of, this.isMeasured)
      : timesIn(this.within(range), this.shape, of, () => true)
  }

  /** The phases, with what was due in each. */
  phases(): PhaseSummary[] {
    return phaseSummaries(this.recording, this.recording.seconds, this.shape)
  }

  /** The phases as far as they lie in a range of seconds. */
  phasesWithin(range: TimeRange): PhasePart[] {
    const span = { fromMs: 1000 * range.fromSecond, toMs: 1000 * range.toSecond }
    return phasesWithin(this.within(range), this.recording.seconds, this.shape, span)
  }

  private readonly isMeasured = (phase: number): boolean => this.shape.phases[phase]?.measured === true

  /** What ended in some seconds. */
  private within({ fromSecond, toSecond }: TimeRange): RangeTotals {
    return this.timeRanges.within(fromSecond, Math.min(toSecond, this.seconds))
  }

  /**
   * Sums up some seconds that no range has needed yet, so that the ranges to come are told at once.
   *
   * @returns false when there is nothing left to sum up
   */
  prepareRange(): boolean {
    return this.timeRanges.prepare(this.seconds)
  }

  private addBucket(bucket: Bucket): void {
    if (bucket.second * 1000 >= this.judgedUntilMs) {
      this.afterStop.add(bucket)
      return
    }
    // What was in flight is for stop rules alone.
    const kept = { ...bucket, open: [], ...NO_PARTS }
    this.buckets.push(kept)
    const before = this.seconds
    this.recording.add(bucket)
    this.timeRanges.add(kept, this.recording.seconds[bucket.second]?.errorMs ?? 0)
    // A second in which no sender reported anything is a row of nothing.
    for (let second = before; second < this.seconds; second++) {
      const row = this.recording.seconds[second]
      if (row !== undefined) appendRow(this.series, row, second)
    }
    for (const state of this.states) this.readSecond(state, bucket)
  }

  private readSecond(state: GateState, bucket: Bucket): void {
    while (state.values.length < bucket.second) state.values.push(null)
    const value = state.read(bucket.second, state.batches.add(bucket))
    state.values[bucket.second] = value
    const { gate, limit } = state
    if (value === null || limit === null || state.firstBreachAtMs !== null || !isJudgedBySecond(gate)) return
    if (!holds(value, gate.comparison, limit)) state.firstBreachAtMs = bucket.second * 1000
  }
}

const NO_PARTS = { places: [], networks: [] }
/** A gate as it is judged where the place and the network are settled. */
const anywhere = (gate: Gate): Gate => ({ ...gate, place: undefined, network: undefined })

/** What is of the whole run; a part has buckets of its own. */
function tellPart(view: RunView, event: RunEvent): void {
  if (event.kind === 'stop rule') view.add({ kind: 'stopped', atMs: event.atMs })
  else if (event.kind !== 'bucket') view.add(event)
}

/** A whole count over all phases says nothing about one second. */
function isJudgedBySecond(gate: Gate): boolean {
  const family = familyOf(gate.measure)
  const isCount = family === 'share or count' && gate.limit.kind === 'fixed' && gate.limit.unit === 'number'
  return family !== 'count' && !isCount
}

function isLowerOnLoad(gate: Gate): boolean {
  return (gate.comparison === 'at least' || gate.comparison === 'over') && familyOf(gate.measure) !== 'time'
}

function emptySeries(metrics: number): Series {
  return {
    started: [],
    users: [],
    requests: [],
    failed: [],
    median: [],
    p95: [],
    p99: [],
    startLag: [],
    stall: [],
    error: [],
    busy: [],
    steal: [],
    failures: new Map(),
    metrics: Array.from({ length: metrics }, () => []),
  }
}

function appendRow(series: Series, row: SecondRow, second: number): void {
  const times = (percent: number) => (row.responseTime.count === 0 ? null : row.responseTime.percentile(percent) / 1000)
  series.started.push(row.started)
  series.users.push(row.users)
  series.requests.push(row.requests)
  series.failed.push(row.failed)
  series.median.push(times(50))
  series.p95.push(times(95))
  series.p99.push(times(99))
  series.startLag.push(row.startLag.count === 0 ? null : row.startLag.percentile(99) / 1000)
  series.stall.push(row.stallMs)
  series.error.push(row.errorMs)
  series.busy.push(row.busy)
  series.steal.push(row.steal)
  for (const [index, values] of series.metrics.entries()) values.push(row.metrics[index] ?? null)
  for (const kind of row.failures.keys())
    if (!series.failures.has(kind)) series.failures.set(kind, new Array<number>(second).fill(0))
  for (const [kind, counts] of series.failures) counts.push(row.failures.get(kind) ?? 0)
}
