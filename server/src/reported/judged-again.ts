// The result of a reported run, judged again by its seconds: what a command says is believed where they say the same.
import { setImmediate } from 'node:timers/promises'
import {
  decodeBucket,
  gatesOf,
  judge,
  NO_DOUBTS,
  RunView,
  type Baseline,
  type Plan,
  type RunEvent,
  type RunResult,
  type RunShape,
} from '@jolt-gate/core'

/** Seconds that are read in one go. */
const AT_ONCE = 10

export interface ReportedParts {
  plan: Plan
  shape: RunShape
  seconds: readonly Uint8Array[]
  events: readonly RunEvent[]
  /** What its gates were held to, where it is a run of this server. */
  baseline: Baseline | undefined
}

/**
 * A result with the verdict that its seconds bear out: its own, or void where they do not.
 *
 * @returns with the shape as the run left it
 */
export async function judgedAgain(
  result: RunResult,
  { plan, shape, seconds, events, baseline }: ReportedParts,
): Promise<{ result: RunResult; shape: RunShape }> {
  const gates = gatesOf(plan)
  const view = new RunView({ gates, shape, satisfiedMs: plan.satisfiedMs, baseline })
  for (const event of events) if (event.kind === 'stop rule' || event.kind === 'stopped') view.add(event)
  for (const [number, bytes] of seconds.entries()) {
    view.add({ kind: 'bucket', bucket: decodeBucket(bytes) })
    // An hour takes seconds: the server answers others in between.
    if (number % AT_ONCE === 0) await setImmediate()
  }
  for (const event of events) if (event.kind === 'phases') view.add(event)
  view.add({ kind: 'end' })
  const results = view.gates()
  const isOurs = (index: number) => gates[index]?.limit.kind !== 'baseline' || baseline !== undefined
  const other = results.findIndex(({ status, rule }, index) => {
    const told = result.gates[index]
    return isOurs(index) && (told?.status !== status || told.rule !== rule)
  })
  const { recording } = view
  const { verdict } = judge({ ending: { kind: 'finished' }, doubts: NO_DOUBTS, results, recording, shape: view.shape })
  const isBorneOut =
    other < 0 && results.length === result.gates.length && (result.verdict !== 'open' || verdict === 'open')
  if (isBorneOut || result.verdict === 'void' || result.verdict === 'stopped') return { result, shape: view.shape }
  const gate = results[other]
  const why =
    gate === undefined
      ? `the seconds of this run bear out "${verdict}", and its result says "${result.verdict}"`
      : `by the seconds of this run the gate "${gate.rule}" is ${gate.status}, and its result says ${result.gates[other]?.status ?? 'nothing of it'}`
  return {
    result: { ...result, verdict: 'void', reasons: [`judged again: ${why}`, ...result.reasons] },
    shape: view.shape,
  }
}
