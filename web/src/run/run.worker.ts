// Holds the run that a page shows, and tells the page what it asks of it. All of it is computed by the RunView of core.
import {
  limitLinesOf,
  bytesOfBase64,
  explain,
  impactFigures,
  decodeBucket,
  gatesOf,
  pictureOfTimes,
  OwnSeries,
  RunView,
  seriesText,
  type Baseline,
  type LimitLine,
  type Gate,
  type GateResult,
  type GroupSummary,
  type JourneySummary,
  type PhasePart,
  type Plan,
  type ResultFinding,
  type ResultImpact,
  type RunEvent,
  type RunShape,
  type Series,
  type SeriesOf,
  type SeriesValues,
  type PartSummary,
  type StepSummary,
  type TimeRange,
  type TimesOf,
  type TimesPicture,
} from '@jolt-gate/core'

export type ToRunWorker =
  /** Of a run that has a result nothing is told before all of it is read; results of old do not say what stands out. */
  | {
      kind: 'open'
      plan: Plan
      shape: RunShape
      baseline: Baseline | null
      hasResult: boolean
      isExplained: boolean
    }
  /** A second as base64 of its bytes. */
  | { kind: 'bucket'; data: string }
  | { kind: 'event'; event: Exclude<RunEvent, { kind: 'bucket' }> }
  | { kind: 'select'; range: TimeRange | null }
  /** Whose times are drawn; null for none. */
  | { kind: 'times'; of: TimesOf | null }
  /** Series that lanes of one's own show. */
  | { kind: 'series'; of: readonly SeriesOf[] }

/** What a page shows of a run. */
export interface RunPicture extends Omit<Series, 'failures' | 'metrics'> {
  seconds: number
  /** By kind, the most frequent first. */
  failures: { kind: string; total: number; counts: number[] }[]
  metrics: { name: string; unit: string; ceiling: number | null; values: (number | null)[] }[]
  gates: GateResult[]
  limitLines: LimitLine[]
  steps: StepSummary[]
  places: PartSummary[]
  networks: PartSummary[]
  groups: GroupSummary[]
  journeys: JourneySummary[]
  phases: PhasePart[]
  findings: ResultFinding[]
  /** Series that were asked for, by their text. */
  own: Record<string, SeriesValues>
  impact: ResultImpact | undefined
  /** All times of what was asked for, over the measured phases and over the range. */
  times: { of: TimesOf; whole: TimesPicture | null; part: TimesPicture | null } | undefined
  /** The range that `steps` was computed for; null is all measured phases. */
  range: TimeRange | null
}

/** What of a picture does not depend on what is asked for. */
type WholePicture = Omit<RunPicture, keyof RangePicture | 'own'>
/** What of it is of the selected seconds. */
type RangePicture = Pick<
  RunPicture,
  'steps' | 'places' | 'networks' | 'groups' | 'journeys' | 'phases' | 'times' | 'range'
>
/** A picture as it is told: what has not changed is null, and is not drawn again. */
export interface ToldPicture extends RangePicture {
  whole: WholePicture | null
  own: RunPicture['own'] | null
}

const TELL_AFTER_MS = 60
const ANSWER_AFTER_MS = 15
/** What stands out is sought so often while a run lasts: it takes longer than all the rest. */
const EXPLAIN_EVERY_SECONDS = 5

let gates: Gate[] = []
let view: RunView | undefined
let range: TimeRange | null = null
let timesOf: TimesOf | null = null
let asked: readonly SeriesOf[] = []
let ownSeries: OwnSeries | undefined
let waitsForEnd = false
let isExplained = false
let explained: Pick<RunPicture, 'findings' | 'impact'> = { findings: [], impact: undefined }
let explainedSeconds = 0
let timer: ReturnType<typeof setTimeout> | undefined

self.onmessage = ({ data }: MessageEvent<ToRunWorker>) => {
  if (data.kind === 'open' || data.kind === 'bucket' || data.kind === 'event') hasNews = true
  switch (data.kind) {
    case 'open':
      gates = gatesOf(data.plan)
      explained = { findings: [], impact: undefined }
      isExplained = data.isExplained
      explainedSeconds = 0
      waitsForEnd = data.hasResult
      view = new RunView({
        gates,
        shape: data.shape,
        satisfiedMs: data.plan.satisfiedMs,
        baseline: data.baseline ?? undefined,
      })
      ownSeries = new OwnSeries(view)
      break
    case 'bucket':
      view?.add({ kind: 'bucket', bucket: decodeBucket(bytesOfBase64(data.data)) })
      break
    case 'event':
      view?.add(data.event)
      if (data.event.kind === 'end') explainedSeconds = -Infinity
      if (data.event.kind === 'end') waitsForEnd = false
      break
    case 'select':
      range = data.range
      break
    case 'series':
      asked = data.of
      hasOtherSeries = true
      break
    case 'times':
      timesOf = data.of
      break
    default:
      data satisfies never
  }
  // Many seconds come at once when a finished run is opened: they are told together.
  clearTimeout(timer)
  // Who selects waits for the answer; seconds come in crowds.
  if (!waitsForEnd) timer = setTimeout(tell, data.kind === 'select' ? ANSWER_AFTER_MS : TELL_AFTER_MS)
}

function explainedNow(run: RunView): typeof explained {
  if (isExplained || run.seconds - explainedSeconds < EXPLAIN_EVERY_SECONDS) return explained
  explainedSeconds = run.seconds
  const { findings, impact } = explain({ view: run, gates, reasons: [] })
  explained = { findings, impact: impactFigures(impact) }
  return explained
}

function timesNow(run: RunView): RunPicture['times'] {
  if (timesOf === null) return undefined
  const part = range === null ? null : pictureOfTimes(run.times(timesOf, range))
  return { of: timesOf, whole: pictureOfTimes(run.times(timesOf)), part }
}

/** Whether something has come since the last picture, or other series are asked for. */
let hasNews = true
let hasOtherSeries = true

function wholeOf(run: RunView): WholePicture {
  const { series, shape } = run
  const results = run.gates()
  const source = { shape, series, gates: () => results, gateValues: (gate: number) => run.gateValues(gate) }
  return {
    ...series,
    seconds: run.seconds,
    failures: [...series.failures]
      .map(([kind, counts]) => ({ kind, counts, total: counts.reduce((sum, count) => sum + count, 0) }))
      .sort((one, other) => other.total - one.total),
    metrics: shape.metrics.map((metric, index) => ({ ...metric, values: series.metrics[index] ?? [] })),
    gates: results,
    limitLines: limitLinesOf(gates, source),
    ...explainedNow(run),
  }
}

function tell(): void {
  if (view === undefined) return
  const isNews = hasNews
  const isOther = hasNews || hasOtherSeries
  hasNews = hasOtherSeries = false
  const told: ToldPicture = {
    whole: isNews ? wholeOf(view) : null,
    own: isOther ? Object.fromEntries(asked.map((of) => [seriesText(of), [...(ownSeries?.valuesOf(of) ?? [])]])) : null,
    steps: view.steps(range),
    places: view.ofParts('places', range),
    networks: view.ofParts('networks', range),
    groups: view.groups(range),
    journeys: view.journeys(range),
    phases: range === null ? view.phases() : view.phasesWithin(range),
    times: timesNow(view),
    range,
  }
  self.postMessage(told)
  timer = setTimeout(prepare, TELL_AFTER_MS)
}

/** While nothing is asked for: sums up one minute after another, so that ranges to come are told at once. */
function prepare(): void {
  if (view?.prepareRange() === true) timer = setTimeout(prepare, 0)
}
