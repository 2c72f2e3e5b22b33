// The trials of a search for the capacity: runs of one load each, and probes between them.
import {
  familyOf,
  formatMs,
  gaveWay,
  judgedGates,
  loadWords,
  trialAnswer,
  trialPlan,
  type CapacityGoal,
  type Judgement,
  type Plan,
  type RunResult,
  type TrialAnswer,
  type TrialMade,
} from '@jolt-gate/core'

/** A part of the hold that is not measured comes before it. */
const WARM_UP_SHARE = 1 / 3
/** What the answer rests on is held for longer. */
const CONFIRMING = 2
const PROBE_SECONDS = 10
/** As at the beginning: the median so near to that of the first probe, or no further than matters to a limit. */
const RECOVERED = 1.5
const RECOVERED_BESIDE_MS = 5
const RECOVERED_OF_LIMIT = 0.1
const MOST_PROBES = 6
const MOST_FINDINGS = 3

/** A trial under way, or a probe. */
export interface Making {
  kind: 'trial' | 'probe'
  load: number
  seconds: number
}

export interface TrialHands {
  /**
   * Makes a run of a plan.
   *
   * @throws SearchEnded where it is permitted no more
   */
  run: (plan: Plan) => Promise<{ result: RunResult; judgement: Judgement }>
  onBegin?: (making: Making) => void
  onTrial: (trial: TrialMade, trials: readonly TrialMade[]) => void
}

/** Another trial would fare no better. */
export class SearchEnded extends Error {
  constructor(
    /** Of the trial that ended it: 3 for what could not be made or told. */
    readonly exitCode: number,
    readonly reasons: readonly string[],
  ) {
    super(reasons.join('; '))
  }
}

/** Makes trials, and keeps what came of them. */
export class Trials {
  readonly made: TrialMade[] = []
  private readonly probeSeconds: number
  private readonly beganMs = performance.now()
  /** Times of the steps at the first probe. */
  private usual: TrialMade['steps'] | null = null
  /** By how much a step may be slower than it was. */
  private readonly besideMs: number

  constructor(
    private readonly plan: Plan,
    private readonly goal: CapacityGoal,
    private readonly hands: TrialHands,
  ) {
    this.probeSeconds = Math.min(PROBE_SECONDS, goal.holdSeconds)
    this.besideMs = Math.max(RECOVERED_BESIDE_MS, RECOVERED_OF_LIMIT * tightestMs(plan))
  }

  /** Makes one; a long one where the answer rests on it. */
  async at(load: number, why: TrialMade['why']): Promise<TrialAnswer> {
    const isLong = why === 'confirming' || why === 'deciding'
    const holdSeconds = this.goal.holdSeconds * (isLong ? CONFIRMING : 1)
    this.refuseLate(holdSeconds)
    const plan = trialPlanAt(this.plan, this.goal, load, holdSeconds)
    const { result, judgement } = await this.run({ kind: 'trial', load, seconds: holdSeconds }, plan)
    const answer = trialAnswer(judgement, result.gates)
    if (answer.kind === 'impossible') throw new SearchEnded(judgement.exitCode, answer.reasons)
    const trial = this.trialMade(load, holdSeconds, why, answer, result)
    this.made.push(trial)
    this.hands.onTrial(trial, this.made)
    return answer
  }

  /** Waits until the service is as it was in the beginning. */
  async recover(): Promise<void> {
    const { lowest, unit } = this.goal
    let slower = ''
    for (let probe = 1; probe <= MOST_PROBES; probe++) {
      this.refuseLate(this.probeSeconds)
      const times = await this.probe()
      this.usual ??= times
      const words = slowerWords(times, this.usual, this.besideMs)
      if (words === undefined) return
      slower = words
    }
    throw new SearchEnded(3, [
      `the target has not recovered: ${String(MOST_PROBES * this.probeSeconds)} s after a trial it is still slower at ${loadWords(lowest, unit)} than it was: ${slower}`,
    ])
  }

  private async probe(): Promise<TrialMade['steps']> {
    const { lowest, unit } = this.goal
    const lengths = { warmUpSeconds: 1, holdSeconds: this.probeSeconds }
    const plan = { ...trialPlan(this.plan, unit, lowest, lengths), gates: [] }
    const { result, judgement } = await this.run({ kind: 'probe', load: lowest, seconds: this.probeSeconds }, plan)
    if (judgement.exitCode === 4 || judgement.exitCode === 5)
      throw new SearchEnded(judgement.exitCode, judgement.reasons)
    return stepTimes(result)
  }

  private run(making: Making, plan: Plan) {
    this.hands.onBegin?.(making)
    return this.hands.run(plan)
  }

  private refuseLate(seconds: number): void {
    const { withinSeconds } = this.goal
    if ((performance.now() - this.beganMs) / 1000 + seconds > withinSeconds)
      throw new SearchEnded(3, [`the time is over: all of it was to take ${String(withinSeconds)} s at most`])
  }

  private trialMade(
    load: number,
    holdSeconds: number,
    why: TrialMade['why'],
    answer: TrialAnswer,
    { totals, gates, steps, generator, findings = [] }: RunResult,
  ): TrialMade {
    const taken = steps.reduce(
      (sum, { responseTime }) => sum + (responseTime?.count ?? 0) * (responseTime?.mean ?? 0),
      0,
    )
    const told = steps.reduce((sum, { responseTime }) => sum + (responseTime?.count ?? 0), 0)
    const meanMs = told === 0 ? 0 : taken / told
    return {
      ...{ load, holdSeconds, why, answer: answer.kind },
      deviations: 'deviations' in answer && Number.isFinite(answer.deviations) ? answer.deviations : null,
      gate: gaveWay(gates)?.rule ?? null,
      ...{ throughput: totals.throughput, failedShare: totals.failedShare, requests: totals.requests },
      users: this.goal.unit === 'users' ? load : (totals.throughput * meanMs) / 1000,
      generatorErrorMs: generator.error?.p99 ?? null,
      gates: gates.map(({ rule, status, observed, limit, unit, interval }) => ({
        ...{ rule, status, observed, limit, unit, interval },
      })),
      steps: stepTimes({ steps }),
      findings: findings
        .filter(({ severity }) => severity !== 'info')
        .slice(0, MOST_FINDINGS)
        .map(({ text }) => text),
    }
  }
}

/** The plan of a trial, with its warm-up. */
export function trialPlanAt(plan: Plan, goal: CapacityGoal, load: number, holdSeconds = goal.holdSeconds): Plan {
  const warmUpSeconds = Math.max(1, Math.round(goal.holdSeconds * WARM_UP_SHARE))
  return trialPlan(plan, goal.unit, load, { warmUpSeconds, holdSeconds })
}

const stepTimes = ({ steps }: Pick<RunResult, 'steps'>): TrialMade['steps'] =>
  steps.map(({ name, responseTime }) => ({
    name,
    p50: responseTime?.percentiles['50'] ?? null,
    p95: responseTime?.percentiles['95'] ?? null,
    p99: responseTime?.percentiles['99'] ?? null,
  }))

/** The tightest limit on a time, in ms; 0 where there is none. */
function tightestMs(plan: Plan): number {
  const limits = judgedGates(plan).judged.flatMap(({ measure, limit }) =>
    familyOf(measure) === 'time' && limit.kind === 'fixed' ? [limit.value] : [],
  )
  return limits.length === 0 ? 0 : Math.min(...limits)
}

/** The first step that does not answer as it did; one that does not answer at all is worse than slow. */
function slowerWords(times: TrialMade['steps'], usual: TrialMade['steps'], besideMs: number): string | undefined {
  for (const { name, p50 } of usual) {
    if (p50 === null) continue
    const now = times.find((step) => step.name === name)?.p50 ?? null
    if (now === null) return `"${name}" does not answer`
    if (now > RECOVERED * p50 + besideMs) return `"${name}" took ${formatMs(now)} (median), and ${formatMs(p50)} then`
  }
  return undefined
}
