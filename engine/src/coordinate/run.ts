// A run from setup to teardown: senders started, buckets merged, gates judged, result put together.
import { availableParallelism } from 'node:os'
import {
  baselineFault,
  dealtEvenly,
  filesSentBy,
  formatMs,
  gatesOf,
  loadFingerprint,
  loadSeconds,
  previewOf,
  RunView,
  scalePlan,
  shapeOf,
  StopWatch,
  type Baseline,
  type Bucket,
  type Ending,
  type Frame,
  type Gate,
  type GeneratorFaults,
  type OnceResult,
  type Plan,
  type RenewalResult,
  type RunEvent,
  type RunIdentity,
} from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import { compilePlan } from '../walk/compile-plan.js'
import { conclude } from './conclusion.js'
import { lostRequests } from './lost-requests.js'
import type { Generators, Load, LoadOrder } from './generators.js'
import { ThreadGenerators } from './thread-generators.js'
import type { Compiled, RunValues } from '../compile/program.js'
import type { ThreadData } from '../generate/sender-protocol.js'
import type { BrokenRun, RunHandle, RunOptions, RunOutcome, SetUp } from './run-options.js'
import { phaseLengths } from './phase-lengths.js'
import { planFaults } from './plan-faults.js'
import { Renewal, type RenewalFailure } from './setup-refresh.js'

const MOST_LATE_MS = 1000
const SETUP_WITHIN_MS = 120_000
const TEARDOWN_WITHIN_MS = 30_000
const TEARDOWN_AFTER_STOP_MS = 8_000
/** After the drain; a sender that works needs none of it. */
const OVERTIME_MS = 10_000

/** Starts a run. The plan must have been read without errors, and the target must be permitted. */
export function startRun(options: RunOptions): RunHandle {
  return new Run(options)
}

/** Ends a run whose generator is gone: tears down, and judges by what is known of it. */
export function closeRun(options: RunOptions, broken: BrokenRun): RunHandle {
  return new Run(options, broken)
}

class Run implements RunHandle {
  readonly view: RunView
  readonly done: Promise<RunOutcome>
  private readonly plan: Plan
  /** The plan's own gates, and the default ones. */
  private readonly gates: readonly Gate[]
  private faults: Required<GeneratorFaults> = {
    ...{ local: [], deaths: [], outOfData: [], endedByData: [] },
    ...{ clockFaults: [], clockNotes: [] },
  }
  private readonly compiled: Compiled
  private readonly generators: Generators
  private readonly startedAt = new Date()
  private readonly stopping = new AbortController()
  private readonly watch: StopWatch
  private readonly identity: Omit<RunIdentity, 'startedAt' | 'endedAt' | 'target'>
  private readonly baseline: Baseline | undefined
  private stoppedBy: string | undefined
  private renewalFailure: RenewalFailure | undefined
  private renewals: readonly RenewalResult[] = []
  private isStoppedByRule = false
  private iterationsMadeAtMs = 0
  private loadStartMs = Infinity
  /** When a gate, a person or spent rows ended the load, in ms from its start. */
  private endedEarlyAtMs: number | undefined

  constructor(
    private readonly options: RunOptions,
    broken?: BrokenRun,
  ) {
    const { target, secrets, identity, scale = 1 } = options
    this.plan = scalePlan({ ...options.plan, seed: identity.plan.seed }, scale)
    const shape = shapeOf(this.plan, previewOf(this.plan).phases, target)
    // A cap is dealt to the senders: each has at least one user of it.
    const caps = this.plan.load.phases.map(({ cap = Infinity }) => cap)
    const mostSenders = Math.min(...caps)
    this.identity = {
      ...identity,
      plan: { ...identity.plan, scale, load: loadFingerprint(options.plan) },
    }
    this.baseline =
      options.baseline !== undefined && baselineFault(options.baseline, { ...this.identity, target }) === undefined
        ? options.baseline
        : undefined
    this.gates = gatesOf(this.plan)
    this.view = new RunView({ gates: this.gates, shape, satisfiedMs: this.plan.satisfiedMs, baseline: this.baseline })
    const run: RunValues = {
      id: identity.id,
      seed: identity.plan.seed,
      startedAtMs: this.startedAt.getTime(),
      secrets,
      overrides: options.overrides ?? {},
    }
    const files = new Map(filesSentBy(this.plan).map((path) => [path, options.fileBytes?.(path) ?? new Uint8Array()]))
    this.compiled = compilePlan(this.plan, target, shape, {
      run,
      fileBytes: (path) => files.get(path) ?? new Uint8Array(),
    })
    const data = { plan: this.plan, target, shape, run, files }
    this.generators =
      options.generators?.({ data, compiled: this.compiled, mostSenders }) ?? this.threads(data, mostSenders)
    this.watch = new StopWatch(this.gates, shape)
    // One turn later, so that the caller holds the handle before the first event.
    this.done = Promise.resolve().then(() => (broken === undefined ? this.walk() : this.close(broken)))
  }

  private threads(data: ThreadData, mostSenders: number): Generators {
    const count = Math.min(this.options.senders ?? Math.max(1, availableParallelism() - 1), mostSenders)
    return new ThreadGenerators(data, this.compiled, { deal: dealtEvenly(count), first: 0, count })
  }

  stop(by: string): void {
    if (this.stoppedBy === undefined) {
      this.stoppedBy = by
      this.stopEarly()
    }
    this.stopping.abort()
  }

  private async walk(): Promise<RunOutcome> {
    this.options.onState?.('setup')
    const { generators } = this
    this.stopping.signal.addEventListener('abort', () => {
      generators.giveUp()
    })
    const frame: Frame = new Array<undefined>(this.compiled.slotCount).fill(undefined)
    const refused =
      this.options.isChecked === true ? [] : await Promise.race([this.refusals(), untilAborted(this.stopping.signal)])
    const untouched = { frame, results: [] }
    const before = this.stopped()
    if (before !== undefined) return this.tearDown(before, untouched, false)
    if (refused.length > 0) return this.tearDown({ kind: 'refused', reasons: refused }, untouched, false)
    const apart = this.lacksFleet() ?? (await Promise.race([generators.joined, noneAtStop(this.stopping.signal)]))
    const meanwhile = this.stopped()
    if (meanwhile !== undefined) return this.tearDown(meanwhile, untouched, false)
    if (apart !== undefined) return this.tearDown({ kind: 'no generators', reason: apart }, untouched, false)
    const setup = await generators.walk({ part: 'setup', frame, endsOnFailure: true, withinMs: SETUP_WITHIN_MS })
    this.options.onSetup?.({ frame: setup.frame, results: setup.results })
    let ending: Ending = { kind: 'finished' }
    if (setup.failure === null && this.stopped() === undefined) {
      try {
        await this.makeLoad(setup.frame, setup.secrets)
      } catch (error) {
        ending = { kind: 'fault', reason: error instanceof Error ? error.message : String(error) }
      }
    } else if (setup.failure !== null)
      ending = { kind: 'setup failed', reason: setup.failure, isTargets: setup.isTargets }
    if (this.renewalFailure !== undefined && ending.kind !== 'fault')
      ending = { kind: 'setup failed', ...this.renewalFailure }
    if (ending.kind !== 'fault') ending = this.stopped() ?? ending
    const { faults, endedEarlyAtMs, renewals } = this
    this.options.onLoadEnded?.({ ending, faults, endedEarlyAtMs, renewals: [...renewals] })
    this.emit({ kind: 'end' })
    return this.tearDown(ending, setup)
  }

  /** Load from one place is no load from those that the plan names. */
  private lacksFleet(): string | undefined {
    const { places } = this.plan
    if (places === undefined || this.options.generators !== undefined) return undefined
    return `the load is to be made from ${places.map(({ name }) => name).join(' and ')}: that needs a fleet of generators`
  }

  private stopped(): Ending | undefined {
    return this.stoppedBy === undefined ? undefined : { kind: 'stopped', by: this.stoppedBy }
  }

  private async refusals(): Promise<string[]> {
    return (await planFaults(this.plan, this.options.target)).errors
  }

  private async close({ events, setup, loadEnd, reason, tearsDown }: BrokenRun): Promise<RunOutcome> {
    const seen = events.filter(({ kind }) => kind !== 'end')
    for (const event of seen) this.view.add(event)
    const ending: Ending = loadEnd?.ending ?? { kind: 'fault', reason }
    this.faults = loadEnd?.faults ?? this.faults
    this.renewals = loadEnd?.renewals ?? []
    this.endedEarlyAtMs = loadEnd === undefined ? 1000 * this.view.seconds : loadEnd.endedEarlyAtMs
    if (loadEnd === undefined) this.emitPhases()
    this.emit({ kind: 'end' })
    const frame: Frame = new Array<undefined>(this.compiled.slotCount).fill(undefined)
    return this.tearDown(ending, setup ?? { frame, results: [] }, tearsDown)
  }

  private async tearDown(ending: Ending, setup: SetUp, isWalked = true): Promise<RunOutcome> {
    const { generators } = this
    this.options.onState?.('teardown')
    this.options.onResult?.(this.conclude(ending, setup.results, []).result)
    const withinMs = this.stoppedBy === undefined ? TEARDOWN_WITHIN_MS : TEARDOWN_AFTER_STOP_MS
    const teardown = isWalked
      ? await generators.walk({ part: 'teardown', frame: setup.frame, endsOnFailure: false, withinMs })
      : { results: [] }
    generators.close()
    const outcome = this.conclude(ending, setup.results, teardown.results)
    this.options.onResult?.(outcome.result)
    this.options.onState?.('ended')
    return { ...outcome, view: this.view }
  }

  /** Makes the load; resolves when every generator has ended. */
  private async makeLoad(setupFrame: Frame, secrets: string[]): Promise<void> {
    const setupValues = setupFrame.map((value, slot) => (this.compiled.setupSlots.includes(slot) ? value : undefined))
    const order: LoadOrder = {
      setupValues,
      maskedValues: secrets,
      mostLateMs: this.options.mostLateMs ?? MOST_LATE_MS,
      warmsUp: this.options.warmsUp ?? true,
      tellsSamples: this.options.onSamples !== undefined,
    }
    const load: Load = this.generators.prepare(order, this.faults, {
      onBucket: (bucket) => {
        this.takeSecond(bucket, load)
      },
      onSamples: (text, count) => {
        this.options.onSamples?.(text, count)
      },
      onDataSpent: (name, then, isClosed) => {
        if (then === 'stop') this.endByData(name, load)
        if (then === 'void' && isClosed) this.noteOutOfData(name)
      },
      onIterationsMade: (atMs) => {
        this.iterationsMadeAtMs = Math.max(this.iterationsMadeAtMs, atMs)
      },
      onLoss: (loss) => {
        this.watch.goOnAtLess()
        this.emit({ kind: 'loss', loss })
      },
      onDeath: () => {
        this.stopEarly()
      },
    })
    const stop = () => {
      load.send({ kind: 'stop' })
    }
    if (this.stopping.signal.aborted) stop()
    this.stopping.signal.addEventListener('abort', stop, { once: true })
    await Promise.race([load.ready, load.ended])
    const { leadMs } = this.generators
    const startMs = monotonicMs() + leadMs
    this.loadStartMs = startMs
    const lengthMs = leadMs + 1000 * loadSeconds(this.plan) + this.plan.load.drainMs
    load.endWithin(lengthMs + OVERTIME_MS, 'a sender did not end in time: something holds its thread up')
    if (!this.stopping.signal.aborted) {
      this.options.onState?.('load')
      load.begin(startMs)
    }
    const renewal = new Renewal(this.compiled, setupFrame, this.generators, load, (failure) => {
      this.renewalFailure = failure
      this.stopEarly()
      stop()
    })
    this.renewals = renewal.results
    await load.ended
    renewal.close()
    this.emitPhases()
    const lost = lostRequests(load.counts, this.view, load.killed > 0)
    if (lost !== undefined) throw new Error(lost)
  }

  private takeSecond(bucket: Bucket, load: Load): void {
    this.emit({ kind: 'bucket', bucket })
    if (this.isStoppedByRule) return
    const fired = this.watch.add(bucket, this.view.recording.seconds[bucket.second]?.errorMs)
    if (fired === undefined) return
    this.isStoppedByRule = true
    this.emit({ kind: 'stop rule', gate: fired.index, atMs: fired.atMs, value: fired.value })
    this.endEarly()
    load.send({ kind: 'stop' })
  }

  private emit(event: RunEvent): void {
    this.view.add(event)
    this.options.onEvent?.(event)
  }

  private noteOutOfData(name: string): void {
    const reason = `the rows of "${name}" ran out (take: once each)`
    if (!this.faults.outOfData.includes(reason)) this.faults.outOfData.push(reason)
  }

  private endByData(name: string, load: Load): void {
    this.endEarly()
    load.send({ kind: 'end load' })
    if (this.faults.endedByData.length > 0) return
    const after = formatMs(this.endedEarlyAtMs ?? 0)
    this.faults.endedByData.push(`the rows of "${name}" ran out after ${after}: the load ended early`)
  }

  /**
   * Tells how long phases were: iterations end by themselves, and a load that a gate, a person or spent rows ended
   * early was over then. Rates are taken over these lengths.
   */
  private emitPhases(): void {
    const seconds = phaseLengths(this.view.shape, this.endedEarlyAtMs ?? Infinity, this.iterationsMadeAtMs)
    this.emit({ kind: 'phases', seconds })
  }

  private stopEarly(): void {
    this.endEarly()
    this.emit({ kind: 'stopped', atMs: this.endedEarlyAtMs ?? 0 })
  }

  private endEarly(): void {
    this.endedEarlyAtMs ??= Math.max(0, monotonicMs() - this.loadStartMs)
  }

  private conclude(ending: Ending, setup: OnceResult[], teardown: OnceResult[]): Omit<RunOutcome, 'view'> {
    const { options, view, gates, baseline, faults, renewals, identity, startedAt } = this
    return conclude({
      ...{ options, view, gates, baseline, faults, renewals, identity, startedAt },
      ...{ ending, setup, teardown, fleet: this.generators.fleet() },
      isStrict: this.plan.strict || options.strict === true,
      endedEarly: this.endedEarlyAtMs !== undefined,
    })
  }
}

/** A stop waits for no generators. */
const noneAtStop = (signal: AbortSignal): Promise<undefined> => untilAborted(signal).then(() => undefined)

function untilAborted(signal: AbortSignal): Promise<never[]> {
  if (signal.aborted) return Promise.resolve([])
  return new Promise((resolve) => {
    signal.addEventListener(
      'abort',
      () => {
        resolve([])
      },
      { once: true },
    )
  })
}
