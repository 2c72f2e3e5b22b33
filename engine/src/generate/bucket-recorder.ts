// What a worker records: one bucket at a time, closed when its second is over.
import {
  Distribution,
  emptyBucket,
  emptyScope,
  emptyStep,
  latenessOf,
  longestOf,
  MAX_OPEN,
  MAX_REDIRECT_CELLS,
  OPEN_FROM_MS,
  phaseRanges,
  type ArrivalCell,
  type Bucket,
  type CalledCell,
  type CheckCell,
  type OpenCell,
  type RedirectCell,
  type RunShape,
  type ScopeCell,
  type StepCell,
} from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import type { Mask } from '../secrets/mask.js'
import type { Failure } from '../walk/assessor.js'
import type { Exchange } from '../http/exchange.js'
import type { Branch, Iteration } from '../walk/iteration.js'
import type { TimedOperation } from '../compile/program.js'
import { FailureCells } from './failure-cells.js'
import { NotedRequests } from './noted-requests.js'
import type { SampleRows } from './sample-rows.js'
import { RequestKeeper } from './request-keeper.js'
import { clearArrival, clearCheck, clearScope, clearStep, isArrivalUsed, isScopeUsed, usedOf } from './used-cells.js'
import type { HealthReading } from './generator-health.js'
import type { Ended, HowEnded, OpenRequest, Sample, WalkerListener } from '../walk/listener.js'

/** Failures whose requests waited as long as they are counted: they belong to the response times. */
const WAITED = new Set(['timeout', 'cut off'])

/** Where a sender records what users do: those who do not begin are told by their number. */
export interface Recorder extends WalkerListener {
  readonly recorded: number
  begin(startMs: number): void
  close(nowMs: number, health: HealthReading, inFlight: number, open?: Iterable<OpenRequest>): void
  onArrival(phase: number, journey: number, user: number): void
  onMissed(phase: number, user: number): void
  onCapped(phase: number, user: number): void
  onOutOfData(phase: number, user: number): void
}

export class BucketRecorder implements Recorder {
  /** Requests recorded so far. */
  recorded = 0
  private startMs = 0
  private second = 0
  private bucket: Bucket = emptyBucket(0)
  private readonly steps = new Map<number, StepCell>()
  private readonly groups = new Map<number, ScopeCell>()
  private readonly journeys = new Map<number, ScopeCell>()
  private readonly arrivals = new Map<number, ArrivalCell>()
  private readonly checks = new Map<number, CheckCell>()
  private readonly failures: FailureCells
  private readonly redirects = new Map<string, RedirectCell>()
  private readonly called = new Set<string>()
  private newlyCalled: CalledCell[] = []
  private readonly noted: NotedRequests
  /** For each phase, the phases of its track with the ends of each, in ms from the start. */
  private readonly tracks: { phase: number; toMs: number }[][]
  private usersNow = 0
  private usersMost = 0

  /**
   * @param send - takes each bucket that is over; its cells are used again once this returns
   * @param rows - of every request, where they are wanted
   * @param iterationEnded - called after an iteration was counted
   */
  constructor(
    private readonly shape: RunShape,
    private readonly mask: Mask,
    private readonly send: (bucket: Bucket) => void,
    private readonly localFault: (detail: string) => void,
    private readonly iterationEnded: (iteration: Iteration) => void,
    private readonly rows: SampleRows | null = null,
  ) {
    this.failures = new FailureCells(mask, new RequestKeeper(shape, mask))
    this.noted = new NotedRequests(shape)
    const ranges = phaseRanges(shape)
    const phases = shape.phases.map(({ track }, phase) => ({ track, phase, toMs: ranges[phase]?.toMs ?? 0 }))
    this.tracks = shape.phases.map(({ track }) => phases.filter((other) => other.track === track))
  }

  /** The load begins at this moment of the monotonic clock. */
  begin(startMs: number): void {
    this.startMs = startMs
    this.failures.begin(startMs)
    this.noted.startMs = startMs
  }

  /**
   * Closes every second that is over, and sends it.
   *
   * @param open - requests in flight that have a share in a hang; none where that is over
   * @param inFlight - how many requests are in flight
   * @param latenessMs - of all that is sent from here, where that is more than what is recorded here
   */
  close(
    nowMs: number,
    health: HealthReading,
    inFlight: number,
    open: Iterable<OpenRequest> = [],
    latenessMs = latenessOf({ ...health, lagMs: this.lagMs, waitedMs: this.waitedMs }),
  ): void {
    this.bucket.busy = health.busy
    this.bucket.busyOfFive = health.busyOfFive
    this.bucket.eventLoopDelay = health.delays
    this.bucket.stallMs = health.stallMs
    this.bucket.inFlight = inFlight
    this.bucket.second = this.second
    this.bucket.users = Math.max(this.usersMost, this.usersNow)
    this.bucket.steps = usedOf(this.steps, ({ requests }) => requests > 0)
    this.bucket.groups = usedOf(this.groups, isScopeUsed)
    this.bucket.journeys = usedOf(this.journeys, isScopeUsed)
    this.bucket.arrivals = usedOf(this.arrivals, isArrivalUsed)
    this.bucket.latenessMs = latenessMs
    this.bucket.checks = usedOf(this.checks, ({ passed, failed }) => passed + failed > 0)
    this.bucket.failures = this.failures.take()
    this.bucket.open = this.openCells(nowMs, open)
    this.bucket.redirects = [...this.redirects.values()]
    this.bucket.called = this.newlyCalled
    Object.assign(this.bucket, this.noted.take())
    this.send(this.bucket)
    this.bucket.steps.forEach(clearStep)
    this.bucket.groups.forEach(clearScope)
    this.bucket.journeys.forEach(clearScope)
    this.bucket.arrivals.forEach(clearArrival)
    this.bucket.checks.forEach(clearCheck)
    this.redirects.clear()
    this.newlyCalled = []
    this.second = Math.max(this.second + 1, Math.floor((nowMs - this.startMs) / 1000))
    this.bucket = emptyBucket(this.second)
    this.usersMost = this.usersNow
  }

  /** By how much requests of this second started late, at most. */
  get lagMs(): number {
    let lagUs = 0
    for (const { startLag } of this.arrivals.values()) lagUs = Math.max(lagUs, startLag.largest)
    return lagUs / 1000
  }

  /** The longest time of a request that ended in this second. */
  get waitedMs(): number {
    return longestOf([...this.steps.values()])
  }

  /** What has been in flight for long; most of what is open is not, and costs a look. */
  private openCells(nowMs: number, open: Iterable<OpenRequest>): OpenCell[] {
    const cells = new Map<string, OpenCell>()
    for (const { iteration, step, dueMs } of open) {
      const waitedMs = Math.floor(nowMs - dueMs)
      if (waitedMs < OPEN_FROM_MS) continue
      const phase = dueMs === iteration.arrivedMs ? iteration.phase : this.phaseAt(iteration.phase, dueMs)
      const { journey } = iteration.program
      const key = `${String(phase)} ${String(step)} ${String(journey)}`
      let cell = cells.get(key)
      if (cell === undefined) cells.set(key, (cell = { phase, step, journey, waitedMs: [] }))
      if (cell.waitedMs.length < MAX_OPEN) cell.waitedMs.push(waitedMs)
    }
    return [...cells.values()]
  }

  // ---------- arrivals and requests

  onArrival(phase: number, journey: number): void {
    this.arrivalCell(phase).started++
    this.scopeCell(this.journeys, phase, journey, journey).started++
    this.usersNow++
    if (this.usersNow > this.usersMost) this.usersMost = this.usersNow
  }

  onMissed(phase: number): void {
    this.arrivalCell(phase).missed++
  }

  onCapped(phase: number): void {
    this.arrivalCell(phase).capped++
  }

  onOutOfData(phase: number): void {
    this.arrivalCell(phase).outOfData++
  }

  onStarted(iteration: Iteration, sample: Sample): void {
    this.arrivalCell(this.phaseOfDue(iteration, sample)).startLag.record(1000 * (sample.startedMs - sample.dueMs))
  }

  onEnded(ended: Ended): void {
    const { iteration, operation, sample, received, failure, checks } = ended
    this.recorded++
    const phase = this.phaseOfDue(iteration, sample)
    const { journey } = iteration.program
    const cell = this.stepCell(phase, this.phaseAt(iteration.phase, sample.endedMs, -1), operation.step, journey)
    const time = 1000 * (sample.endedMs - sample.dueMs)
    cell.requests++
    cell.bytesReceived += sample.bytesReceived
    cell.bytesSent += sample.bytesSent
    if (sample.isResent) cell.resent++
    if (failure === null || failure.isOnTime || WAITED.has(failure.kind)) cell.responseTime.record(time)
    else cell.failedTime.record(time)
    if (failure !== null && WAITED.has(failure.kind)) cell.waitedTime.record(time)
    if (sample.connectMs >= 0) cell.connectTime.record(1000 * sample.connectMs)
    if (sample.firstByteMs > 0) cell.timeToFirstByte.record(1000 * (sample.firstByteMs - sample.dueMs))
    for (let index = 0; index < checks.length; index++) {
      const check = this.checkCell(phase, operation.checks[index]?.number ?? 0, journey)
      if (checks[index] === true) check.passed++
      else check.failed++
    }
    this.noted.note(ended, phase)
    if (ended.exchange !== null && ended.exchange.hops.length > 0)
      this.countRedirect(phase, operation.step, ended.exchange)
    this.rows?.add(ended, phase, this.startMs)
    if (failure === null) return
    cell.failed++
    this.failures.count({ phase, operation, failure, endedMs: sample.endedMs, received, iteration, ended })
  }

  onStepFailed(iteration: Iteration, operation: TimedOperation, failure: Failure): void {
    const { phase, lastEndMs: endedMs, last: received } = iteration
    this.failures.count({ phase, operation, failure, endedMs, received, iteration, ended: null })
  }

  onGroup(iteration: Iteration, group: number, beganMs: number, timeMs: number | null): void {
    const phase = beganMs < 0 ? iteration.phase : this.phaseAt(iteration.phase, beganMs)
    const cell = this.scopeCell(this.groups, phase, group, iteration.program.journey)
    cell.started++
    if (timeMs === null) {
      cell.endedFailed++
      return
    }
    cell.finished++
    cell.time.record(1000 * timeMs)
  }

  onCalled(iteration: Iteration, { step }: TimedOperation): void {
    const { journey } = iteration.program
    const key = `${String(journey)} ${String(step)}`
    if (this.called.has(key)) return
    this.called.add(key)
    this.newlyCalled.push({ step, journey })
  }

  onIterationEnded(iteration: Iteration, how: HowEnded): void {
    this.usersNow--
    const { journey } = iteration.program
    const cell = this.scopeCell(this.journeys, iteration.phase, journey, journey)
    switch (how) {
      case 'finished':
        cell.finished++
        cell.time.record(1000 * (iteration.lastEndMs - iteration.arrivedMs))
        break
      case 'unfinished':
        cell.unfinished++
        if (iteration.isStaying) cell.staying++
        cell.unfinishedTime.record(1000 * (monotonicMs() - iteration.arrivedMs))
        break
      case 'failed':
      case 'cut off':
        if (how === 'failed') cell.endedFailed++
        else cell.cutOff++
        if (iteration.hasLocalFault) cell.local++
        else if (!iteration.hasOtherFailure) cell.byRequests++
        break
      default:
        how satisfies never
    }
    this.iterationEnded(iteration)
  }

  onLocalFault(detail: string): void {
    this.localFault(detail)
  }

  // ---------- where a sample belongs

  /** The first request of an arrival belongs to the arrival's own phase, also where that falls on a border. */
  private phaseOfDue(iteration: Iteration, sample: Sample): number {
    return sample.dueMs === iteration.arrivedMs ? iteration.phase : this.phaseAt(iteration.phase, sample.dueMs)
  }

  /** The phase at a moment, of the track to which a phase belongs; after all, the last one unless told otherwise. */
  private phaseAt(sibling: number, atMs: number, afterAll?: number): number {
    const sinceStart = atMs - this.startMs
    const track = this.tracks[sibling] ?? []
    for (let index = 0; index < track.length; index++) {
      const entry = track[index]
      if (entry !== undefined && sinceStart < entry.toMs) return entry.phase
    }
    return afterAll ?? track.at(-1)?.phase ?? sibling
  }

  // ---------- cells

  private stepCell(phase: number, endPhase: number, step: number, journey: number): StepCell {
    const { phases, steps, journeys } = this.shape
    const key = ((phase * (phases.length + 1) + endPhase + 1) * steps.length + step) * journeys.length + journey
    let cell = this.steps.get(key)
    if (cell === undefined) this.steps.set(key, (cell = emptyStep(phase, endPhase, step, journey)))
    return cell
  }

  private scopeCell(cells: Map<number, ScopeCell>, phase: number, scope: number, journey: number): ScopeCell {
    const key = (phase * 10_000 + scope) * 10_000 + journey
    let cell = cells.get(key)
    if (cell === undefined) {
      cells.set(key, (cell = emptyScope(phase, scope, journey)))
    }
    return cell
  }

  private arrivalCell(phase: number): ArrivalCell {
    let cell = this.arrivals.get(phase)
    if (cell === undefined) {
      const startLag = new Distribution()
      this.arrivals.set(phase, (cell = { phase, started: 0, missed: 0, capped: 0, outOfData: 0, startLag }))
    }
    return cell
  }

  private checkCell(phase: number, check: number, journey: number): CheckCell {
    const key = (phase * 10_000 + check) * 10_000 + journey
    let cell = this.checks.get(key)
    if (cell === undefined) this.checks.set(key, (cell = { phase, check, journey, passed: 0, failed: 0 }))
    return cell
  }

  /** A redirect to another path may be one to where nothing that was asked for is, such as a sign-in page. */
  private countRedirect(phase: number, step: number, { hops, origin, path }: Exchange<Branch>): void {
    const asked = hops[0]?.url.split('?')[0]
    const to = (origin + path).split('?')[0] ?? ''
    if (asked === to) return
    const key = `${String(phase)} ${String(step)} ${to}`
    const cell = this.redirects.get(key)
    if (cell !== undefined) cell.count++
    else if (this.redirects.size < MAX_REDIRECT_CELLS)
      this.redirects.set(key, { phase, step, to: this.mask.apply(to), count: 1 })
  }
}
