// result.json, format 1: everything a run found out, for machines and for the other reports.
import { pool } from '../measure/cells.js'
import type { Recording } from '../measure/recording.js'
import type { StepCell } from '../measure/bucket.js'
import { base64OfBytes } from '../numbers/base64.js'
import { encodeHdr } from '../measure/hdr.js'
import type { RunShape } from '../measure/shape.js'
import type { Explained } from '../explain/explain.js'
import type { Impact } from '../judge/impact.js'
import { isOpenPhase } from '../plan/phases.js'
import type { BaselineMadeOf } from '../judge/baseline.js'
import { passedWithin, secondsOf, secondsWithin, sum } from '../judge/scope.js'
import { iterationsIn, neverReached } from '../judge/iterations.js'
import type { Calibration, FleetGenerator, OnceResult, RenewalResult, RunResult } from '../judge/result-schema.js'
import type { Judgement } from '../judge/verdict.js'
import { seriesOf } from '../view/series.js'
import type { RunView } from '../view/run-view.js'
import { round, share } from '../view/summaries.js'

export interface RunIdentity {
  id: string
  tool: string
  plan: {
    name: string
    file: string
    commit: string | null
    branch: string | null
    dirty: boolean
    seed: number
    scale: number
    /** Tells one load from another: a baseline of another load is no baseline. */
    load: string
  }
  target: { name: string; origin: string; traces?: string | undefined }
  /** The change under test; the plan's own commit where nothing else is said. */
  change?: { commit: string | null; branch: string | null } | undefined
  /** What somebody wants to find the run by. */
  labels?: Readonly<Record<string, string>> | undefined
  startedAt: string
  endedAt: string
}

export interface RunFacts {
  explained: Explained
  judgement: Judgement
  setup: OnceResult[]
  teardown: OnceResult[]
  renewals: RenewalResult[]
  generator: { fleet: FleetGenerator[]; reasons: string[]; calibration: Calibration | null }
  baseline: BaselineMadeOf | null
}

/**
 * Puts a result together. Everything but `series` holds measured phases alone.
 *
 * @param identity - which run of which plan it is
 * @param facts - the verdict and all that no bucket holds
 * @param view - what was measured
 */
// eslint-disable-next-line max-lines-per-function -- one field of the result after another
export function resultOf(identity: RunIdentity, facts: RunFacts, view: RunView): RunResult {
  const { recording, shape } = view
  const isMeasured = (phase: number) => shape.phases[phase]?.measured === true
  const cells = [...recording.stepCells(isMeasured, () => true)]
  const journeys = [...recording.journeys.values()].filter((cell) => isMeasured(cell.phase))
  const arrivals = [...recording.arrivals.values()].filter((cell) => isMeasured(cell.phase))
  const checks = [...recording.checks.values()].filter((cell) => isMeasured(cell.phase))
  const ended = iterationsIn(journeys, recording.journeys.values())
  const requests = sum(cells, (cell) => cell.requests)
  const failedRequests = sum(cells, (cell) => cell.failed)
  const measuredSeconds = secondsOf(shape, { isPhase: isMeasured })
  const lag = pool(arrivals.map((cell) => cell.startLag))
  const delays = pool(recording.seconds.map((row) => row.eventLoopDelay))
  const errors = secondsWithin(recording, shape, { isPhase: isMeasured })
    .map((row) => row.errorMs)
    .sort((a, b) => a - b)
  const errorAt = (rank: number) => round(errors[Math.max(0, Math.ceil(rank * errors.length) - 1)] ?? 0)
  const closed = arrivals.filter((cell) => !isOpenPhase(shape.phases[cell.phase] ?? { kind: 'rest' }))
  return {
    jolt: 1,
    tool: identity.tool,
    id: identity.id,
    verdict: facts.judgement.verdict,
    reasons: facts.judgement.reasons,
    notes: facts.judgement.notes,
    plan: identity.plan,
    target: identity.target,
    change: identity.change ?? { commit: identity.plan.commit, branch: identity.plan.branch },
    labels: { ...identity.labels },
    startedAt: identity.startedAt,
    endedAt: identity.endedAt,
    measuredMs: measuredSeconds * 1000,
    stoppedAtMs: view.stoppedAtMs,
    baseline: facts.baseline,
    gates: view.gates(),
    totals: {
      // Users who come again by themselves are due when they come.
      arrivalsDue:
        sum(shape.phases, (phase) => (phase.measured ? phase.arrivalsDue : 0)) + sum(closed, (cell) => cell.started),
      arrivals: sum(arrivals, (cell) => cell.started),
      capped: sum(arrivals, (cell) => cell.capped),
      // What a stop cut off is shown here, and judged nowhere.
      cutOff: sum([...journeys, ...view.afterStop.journeys.values()], (cell) => cell.cutOff),
      outOfData: sum(arrivals, (cell) => cell.outOfData),
      journeys: ended.finished,
      failedJourneys: ended.failed,
      unfinishedJourneys: ended.unfinished,
      requests,
      failedRequests,
      resent: sum(cells, (cell) => cell.resent),
      failedShare: share(failedRequests, requests),
      checks: { passed: sum(checks, (cell) => cell.passed), failed: sum(checks, (cell) => cell.failed) },
      throughput: share(
        passedWithin(recording.steps.values(), { isPhase: isMeasured, isStep: () => true }),
        measuredSeconds,
      ),
      peakUsers: recording.seconds.reduce((most, row) => Math.max(most, row.users), 0),
      bytesReceived: sum(cells, (cell) => cell.bytesReceived),
      bytesSent: sum(cells, (cell) => cell.bytesSent),
    },
    steps: stepsOf(view),
    ...(view.places.length === 0 ? {} : { places: view.ofParts('places') }),
    ...(view.networks.length === 0 ? {} : { networks: view.ofParts('networks') }),
    groups: view.groups(),
    journeys: view.journeys(),
    phases: view.phases(),
    setup: facts.setup,
    teardown: facts.teardown,
    renewals: facts.renewals,
    generator: {
      processes: Math.max(1, facts.generator.fleet.length),
      ...(facts.generator.fleet.length === 0 ? {} : { fleet: facts.generator.fleet }),
      ...(recording.losses.length === 0 ? {} : { losses: [...recording.losses] }),
      reasons: facts.generator.reasons,
      calibration: facts.generator.calibration,
      error: { p50: errorAt(0.5), p99: errorAt(0.99), max: errorAt(1) },
      startLag: { p50: msOf(lag.percentile(50)), p99: msOf(lag.percentile(99)), max: msOf(lag.largest) },
      busy: busyOf(recording),
      eventLoopDelay: {
        p99: msOf(delays.percentile(99)),
        max: msOf(delays.largest),
      },
    },
    findings: facts.explained.findings,
    impact: impactFigures(facts.explained.impact),
    series: seriesOf(view),
    blocks: blocksOf(view),
    histograms: histogramsOf(recording, shape),
  }
}

function stepsOf(view: RunView): RunResult['steps'] {
  const { shape, recording } = view
  const names = new Set([...neverReached(recording, shape)].map((step) => shape.steps[step]?.name))
  return view
    .steps()
    .map((step) => (names.has(step.name) && step.requests === 0 ? { ...step, neverReached: true } : step))
}

/** The impact as results have it. */
export function impactFigures({ grade, satisfiedMs, lowestApdex, failedIterationShare, recovery }: Impact) {
  return {
    grade,
    satisfiedMs,
    lowestApdex: lowestApdex === null ? null : round(lowestApdex),
    failedIterationShare,
    recoveryMs:
      recovery.kind === 'unmeasured' ? {} : { [recovery.phase]: recovery.kind === 'recovered' ? recovery.ms : null },
  }
}

/** Two runs are compared by about so many blocks each. */
const BLOCKS = 15

/** Each step in blocks of seconds, by when requests ended; those due in phases that are not measured left out. */
function blocksOf({ buckets, shape, recording }: RunView) {
  const isMeasured = (phase: number) => shape.phases[phase]?.measured === true
  const measured = secondsWithin(recording, shape, { isPhase: isMeasured }).length
  const seconds = Math.max(1, Math.floor(measured / BLOCKS))
  const byStep = new Map<number, Map<number, StepCell[]>>()
  for (const { second, steps } of buckets)
    for (const cell of steps) {
      if (!isMeasured(cell.phase)) continue
      const blocks = byStep.get(cell.step) ?? new Map<number, StepCell[]>()
      byStep.set(cell.step, blocks)
      const block = Math.floor(second / seconds)
      const cells = blocks.get(block)
      if (cells === undefined) blocks.set(block, [cell])
      else cells.push(cell)
    }
  return {
    seconds,
    steps: [...byStep].map(([step, blocks]) => {
      const lists = [...blocks.values()]
      return {
        name: shape.steps[step]?.name ?? '',
        at: [...blocks.keys()],
        requests: lists.map((cells) => sum(cells, (cell) => cell.requests)),
        failed: lists.map((cells) => sum(cells, (cell) => cell.failed)),
        data: lists.map((cells) => base64OfBytes(encodeHdr(pool(cells.map((cell) => cell.responseTime))))),
      }
    }),
  }
}

function histogramsOf(recording: Recording, shape: RunShape) {
  return shape.steps.flatMap((step, stepNumber) =>
    shape.phases.flatMap((phase, phaseNumber) => {
      const cells = recording.stepCells(
        (other) => other === phaseNumber,
        (other) => other === stepNumber,
      )
      const times = pool([...cells].map((cell) => cell.responseTime))
      return times.count === 0 ? [] : [{ step: step.name, phase: phase.name, data: base64OfBytes(encodeHdr(times)) }]
    }),
  )
}

function busyOf(recording: Recording): { mean: number; max: number } {
  const shares = recording.seconds.map((row) => row.busy)
  return {
    mean: round(
      share(
        sum(shares, (value) => value),
        shares.length,
      ),
    ),
    max: round(Math.max(0, ...shares)),
  }
}

function msOf(us: number): number | null {
  return Number.isFinite(us) ? round(us / 1000) : null
}

/** The change and the labels of a run in words, where there are any: "change 1a2b3c4d on main; tier: staging". */
export function contextWords({ plan, change, labels = {} }: Pick<RunResult, 'plan' | 'change' | 'labels'>): string[] {
  const { commit = null, branch = null } = change ?? {}
  const isOwn = commit === plan.commit && branch === plan.branch
  const under = `change ${commit === null ? '' : commit.slice(0, 8)}${branch === null ? '' : ` on ${branch}`}`
  const named = Object.entries(labels).map(([name, value]) => `${name}: ${value}`)
  return [...(isOwn || change === undefined ? [] : [under]), ...named]
}
