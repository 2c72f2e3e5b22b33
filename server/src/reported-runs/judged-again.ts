// The result of a reported run, judged again by its seconds: what a command says is believed where they say the same.
import {
  decodeBucket,
  gatesOf,
  judge,
  NO_DOUBTS,
  RunView,
  tooLittleLeft,
  type Baseline,
  type Gate,
  type Plan,
  type RunTurn,
  type RunResult,
  type RunShape,
  type StepSummary,
} from '@jolt-gate/core'

export interface ReportedParts {
  plan: Plan
  shape: RunShape
  seconds: readonly Uint8Array[]
  events: readonly RunTurn[]
  /** What its gates were held to, where it is a run of this server. */
  baseline: Baseline | undefined
}

/**
 * A result with the verdict that its seconds bear out: its own, or void where they do not.
 *
 * @returns with the shape as the run left it
 */
export function judgedAgain(
  result: RunResult,
  { plan, shape, seconds, events, baseline }: ReportedParts,
): { result: RunResult; shape: RunShape } {
  const gates = gatesOf(plan)
  const view = new RunView({ gates, shape, satisfiedMs: plan.satisfiedMs, baseline })
  for (const event of events) if (event.kind !== 'phases') view.add(event)
  for (const bytes of seconds) view.add({ kind: 'bucket', bucket: decodeBucket(bytes) })
  for (const event of events) if (event.kind === 'phases') view.add(event)
  view.add({ kind: 'end' })
  const doubt =
    result.verdict === 'open'
      ? doubtOf(result, { view, events, gates, hasBaseline: baseline !== undefined, plan })
      : undefined
  if (doubt === undefined) return { result, shape: view.shape }
  return {
    result: { ...result, verdict: 'void', reasons: [`judged again: ${doubt}`, ...result.reasons] },
    shape: view.shape,
  }
}

/** Why the seconds do not bear an open result out; undefined where they do. */
function doubtOf(
  result: RunResult,
  {
    view,
    events,
    gates,
    hasBaseline,
    plan,
  }: { view: RunView; events: readonly RunTurn[]; gates: readonly Gate[]; hasBaseline: boolean; plan: Plan },
): string | undefined {
  const results = view.gates()
  const other = results.find(({ status, rule }, index) => {
    // What a gate was held to elsewhere is unknown here.
    if (gates[index]?.limit.kind === 'baseline' && !hasBaseline) return false
    const reported = result.gates[index]
    return reported?.status !== status || reported.rule !== rule
  })
  if (other !== undefined)
    return `by the seconds of this run the gate "${other.rule}" is ${other.status}, and its result says otherwise`
  const { losses } = view.recording
  if (losses.length > 0 && plan.onLoss !== 'continue at less') return 'a generator was lost, and its plan wants it void'
  const tooLittle = tooLittleLeft(losses, view.shape)
  if (tooLittle !== undefined) return tooLittle
  if (results.length !== result.gates.length) return 'its result has other gates than its plan'
  const figures = (steps: readonly Pick<StepSummary, 'name' | 'requests' | 'failed' | 'responseTime'>[]) =>
    JSON.stringify(
      steps.map((one) => [one.name, one.requests, one.failed, one.responseTime?.percentiles['95'] ?? null]),
    )
  if (figures(view.steps()) !== figures(result.steps)) return 'its result has other figures than its seconds'
  const isStopped = events.some(({ kind }) => kind === 'stopped')
  const { verdict } = judge({
    ending: isStopped ? { kind: 'stopped', by: 'a person' } : { kind: 'finished' },
    ...{ doubts: NO_DOUBTS, results, recording: view.recording, shape: view.shape },
    ...{ strict: plan.strict, beside: { renewals: result.renewals ?? [], teardown: result.teardown, endedByData: [] } },
  })
  return verdict === 'open' ? undefined : `by its seconds this run is ${verdict}`
}
