// The trials of a search for the capacity: runs of one load each, and probes between them.
import {
  formatMs,
  gaveWay,
  readSentence,
  trialAnswer,
  trialPlan,
  type CapacityUnit,
  type Plan,
  type RunResult,
  type TrialAnswer,
} from '@jolt-gate/core'
import { newId } from '@jolt-gate/core/identity'
import type { RunOutcome } from '@jolt-gate/engine'
import { refuseForbidden } from './asked.js'
import { EXIT, UsageError } from './errors.js'
import type { CapacityArguments, Output, RunArguments } from './options.js'
import { clock } from './preview.js'
import { engineOptions, runOnce, type AskedPlan } from './run-plan.js'

/** A part of the hold that is not measured comes before it. */
const WARM_UP_SHARE = 1 / 3
/** What the answer rests on is held for longer. */
const CONFIRMING = 2
const PROBE_SECONDS = 10
/** As at the beginning: the median so near to that of the first probe. */
const RECOVERED = 1.5
const RECOVERED_BESIDE_MS = 5
const MOST_PROBES = 6

interface StepTimes {
  name: string
  p50: number | null
  p95: number | null
  p99: number | null
}

/** A trial as it is told. */
export interface TrialMade {
  load: number
  holdSeconds: number
  answer: TrialAnswer['kind']
  /** By how many deviations of what was observed the gate was from its limit; null for what told nothing. */
  deviations: number | null
  /** The gate that gave way most surely. */
  gate: string | null
  throughput: number
  failedShare: number
  /** Response times of each step, in ms; null where it has none. */
  steps: StepTimes[]
}

/** Ends the search: another trial would fare no better. */
export class Ended extends Error {
  constructor(
    readonly exitCode: number,
    readonly reasons: readonly string[],
  ) {
    super(reasons.join('; '))
  }
}

/** Makes trials, and keeps what came of them. */
export class Trials {
  readonly made: TrialMade[] = []
  readonly holdSeconds: number
  readonly withinSeconds: number
  private readonly probeSeconds: number
  private readonly beganMs = performance.now()
  /** Medians of the steps at the first probe. */
  private usual: StepTimes[] | null = null

  constructor(
    private readonly asked: AskedPlan,
    private readonly options: CapacityArguments,
    private readonly output: Output,
    private readonly goal: { unit: CapacityUnit; lowest: number },
  ) {
    this.holdSeconds = secondsOf('--hold', options.hold ?? '30s')
    this.probeSeconds = Math.min(PROBE_SECONDS, this.holdSeconds)
    this.withinSeconds = secondsOf('--within', options.within ?? '20m')
  }

  planAt(load: number, holdSeconds: number): Plan {
    const warmUpSeconds = Math.max(1, Math.round(this.holdSeconds * WARM_UP_SHARE))
    return trialPlan(this.asked.plan, this.goal.unit, load, { warmUpSeconds, holdSeconds })
  }

  /** Makes one. */
  async at(load: number, isLong: boolean): Promise<TrialAnswer> {
    const holdSeconds = this.holdSeconds * (isLong ? CONFIRMING : 1)
    this.refuseLate(holdSeconds)
    const { result, judgement } = await this.run(this.planAt(load, holdSeconds))
    const answer = trialAnswer(judgement, result.gates)
    if (answer.kind === 'impossible') throw new Ended(judgement.exitCode, answer.reasons)
    const { totals } = result
    this.made.push({
      ...{ load, holdSeconds, answer: answer.kind },
      deviations: 'deviations' in answer ? answer.deviations : null,
      gate: gaveWay(result.gates)?.rule ?? null,
      ...{ throughput: totals.throughput, failedShare: totals.failedShare },
      steps: stepTimes(result),
    })
    this.tell()
    return answer
  }

  /** Waits until the service is as it was in the beginning. */
  async recover(): Promise<void> {
    for (let probe = 1; probe <= MOST_PROBES; probe++) {
      this.refuseLate(this.probeSeconds)
      const times = await this.probe()
      this.usual ??= times
      if (isAsUsual(times, this.usual)) return
    }
    throw new Ended(EXIT.void, [
      `the target has not recovered: ${String(MOST_PROBES * this.probeSeconds)} s after a trial it is still slower at ${this.words(this.goal.lowest)} than it was`,
    ])
  }

  words(load: number): string {
    return loadWords(load, this.goal.unit)
  }

  private async probe(): Promise<StepTimes[]> {
    const plan = trialPlan(this.asked.plan, this.goal.unit, this.goal.lowest, {
      ...{ warmUpSeconds: 1, holdSeconds: this.probeSeconds },
    })
    const { result, judgement } = await this.run({ ...plan, gates: [] })
    if (judgement.exitCode === EXIT.stopped || judgement.exitCode === EXIT.fault)
      throw new Ended(judgement.exitCode, judgement.reasons)
    return stepTimes(result)
  }

  private async run(plan: Plan): Promise<RunOutcome> {
    await this.refuseUnpermitted(plan)
    return runOnce(engineOptions({ ...this.asked, plan }, runArguments(this.options), newId()), this.output)
  }

  /** A search takes long: what was permitted when it began may not be by now. */
  private async refuseUnpermitted(plan: Plan): Promise<void> {
    try {
      await refuseForbidden(plan, this.asked.target)
    } catch (error) {
      if (error instanceof UsageError) throw new Ended(EXIT.usage, [error.message])
      throw error
    }
  }

  private refuseLate(seconds: number): void {
    if ((performance.now() - this.beganMs) / 1000 + seconds > this.withinSeconds)
      throw new Ended(EXIT.void, [`the time is over: --within ${this.options.within ?? '20m'}`])
  }

  private tell(): void {
    const trial = this.made.at(-1)
    if (trial === undefined || this.output.quiet) return
    const by = trial.deviations === null ? '' : ` by ${Math.min(9.9, trial.deviations).toFixed(1)} deviations`
    const gate = trial.gate === null ? '' : `: ${trial.gate}`
    const p95 = Math.max(...trial.steps.map((step) => step.p95 ?? -Infinity))
    const times = Number.isFinite(p95) ? `  p95 ${formatMs(p95)}` : ''
    process.stderr.write(
      `${this.words(trial.load)} for ${clock(trial.holdSeconds)}  ${trial.answer}${by}${gate}${times}\n`,
    )
  }
}

export const loadWords = (load: number, unit: CapacityUnit): string =>
  unit === 'arrivals' ? `${String(load)}/s` : `${String(load)} ${load === 1 ? 'user' : 'users'}`

export const runArguments = ({ target, set, seed }: CapacityArguments): RunArguments => ({
  ...(target === undefined ? {} : { target }),
  ...(seed === undefined ? {} : { seed }),
  ...{ set, scale: 1, onVoid: 'fail', label: {} },
})

function secondsOf(option: string, text: string): number {
  const length = readSentence('DurationOnly', text)
  if (!length.ok) throw new UsageError(`${option}: ${length.fault.message}`)
  if (length.value < 1000) throw new UsageError(`${option}: expected a second or more`)
  return length.value / 1000
}

const stepTimes = ({ steps }: RunResult): StepTimes[] =>
  steps.map(({ name, responseTime }) => ({
    name,
    p50: responseTime?.percentiles['50'] ?? null,
    p95: responseTime?.percentiles['95'] ?? null,
    p99: responseTime?.percentiles['99'] ?? null,
  }))

/** Whether every step answers as it did; one that does not answer at all is worse than slow. */
const isAsUsual = (times: readonly StepTimes[], usual: readonly StepTimes[]): boolean =>
  usual.every(({ name, p50 }) => {
    if (p50 === null) return true
    const now = times.find((step) => step.name === name)?.p50 ?? Infinity
    return now <= RECOVERED * p50 + RECOVERED_BESIDE_MS
  })
