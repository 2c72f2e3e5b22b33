// A search for a capacity in words, while it lasts and when it has ended.
import {
  CAPACITY_DEFAULTS,
  CapacityFault,
  formatValue,
  loadWords,
  readCapacityGoal,
  type CapacityGoal,
  type CapacityWords,
  type TrialMade,
} from '@jolt-gate/core'
import type { CapacityLine } from '@jolt-gate/core/api'
import { object, string } from 'yup'

const rounded = (load: number) => Number(load.toPrecision(3))

/** What was asked: "20/s to 2000/s", or "at least 300/s". */
export function goalWords(goal: CapacityGoal): string {
  const { unit, lowest, highest } = goal
  if (goal.kind === 'at least') return `at least ${loadWords(highest, unit)}`
  return unit === 'users'
    ? `${String(lowest)} to ${loadWords(highest, unit)}`
    : `${String(lowest)}/s to ${String(highest)}/s`
}

/** The answer in few words, for a title or a row. */
export function answerWords({ state, verdict, goal, load, interval, words }: CapacityLine): string {
  if (state === 'queued') return 'queued'
  if (state === 'running') return 'searching'
  if (verdict === 'stopped') return 'stopped'
  if (load === null) return 'unknown'
  const loaded = loadWords(rounded(load), goal.unit)
  if (interval !== null) return loaded
  return verdict === 'shut'
    ? `under ${loaded}`
    : words?.includes('can do no more') === true
      ? `${loaded} or more`
      : `at least ${loaded}`
}

export const intervalWords = ([low, high]: readonly [number, number], { unit }: CapacityGoal): string =>
  `95 % interval ${unit === 'arrivals' ? String(rounded(low)) : String(Math.round(low))} to ${loadWords(unit === 'arrivals' ? rounded(high) : Math.round(high), unit)}`

const WHY: Record<TrialMade['why'], string> = {
  doubling: 'twice the one before',
  narrowing: 'next to what is likely',
  confirming: 'confirms the answer',
  deciding: 'decides this load',
}
export function whyWords({ why, load }: TrialMade, before: TrialMade | undefined): string {
  if (before?.load === load && before.answer === 'undecided') return 'the same once more'
  return why === 'doubling' && before === undefined ? 'the lowest of the range' : WHY[why]
}

/** The gate that is drawn: the one that gave way, or the one that came nearest to its limit. */
export function drawnGate(trials: readonly TrialMade[]): string | undefined {
  const breached = trials.filter(({ answer }) => answer === 'breached').toSorted((one, other) => one.load - other.load)
  if (breached[0]?.gate != null) return breached[0].gate
  const last = trials
    .findLast(({ answer }) => answer === 'held' || answer === 'breached')
    ?.gates.filter(({ observed, limit, interval }) => observed !== null && limit !== null && interval !== null)
  const shareOf = (gate: { observed: number | null; limit: number | null }) => (gate.observed ?? 0) / (gate.limit ?? 1)
  return last?.toSorted((one, other) => shareOf(other) - shareOf(one))[0]?.rule ?? trials[0]?.gates[0]?.rule
}

export const gateOf = ({ gates }: TrialMade, rule: string | undefined) => gates.find((gate) => gate.rule === rule)
export function observedWords(trial: TrialMade, rule: string | undefined): string {
  const gate = gateOf(trial, rule)
  return gate === undefined || gate.observed === null ? '–' : formatValue(gate.observed, gate.unit)
}

/** The trial at the lowest load that did not hold. */
export const firstBreach = (trials: readonly TrialMade[]): TrialMade | undefined =>
  trials.filter(({ answer }) => answer === 'breached').toSorted((one, other) => one.load - other.load)[0]

/** Up to where the gates that did not give way held; undefined where none did throughout. */
export function othersHeldTo(trials: readonly TrialMade[], rule: string | null): number | undefined {
  const loads = trials
    .filter(({ gates }) => gates.every((gate) => gate.rule === rule || gate.status === 'held'))
    .map(({ load }) => load)
  return loads.length === 0 ? undefined : Math.max(...loads)
}

export const share = (value: number): string => `${String(Number((100 * value).toPrecision(2)))} %`

// ---------- the form

export const KINDS = [
  { value: 'range', label: 'The highest rate, between two' },
  { value: 'users', label: 'The most users at once, between two' },
  { value: 'atLeast', label: 'Whether it holds one load' },
] as const
export type Kind = (typeof KINDS)[number]['value']

export interface Asked {
  kind: Kind
  load: string
  exact: string
  hold: string
  within: string
  target: string
}
export const EXAMPLES: Record<Kind, string> = { range: '20/s to 2000/s', users: '10 to 400', atLeast: '300/s' }
export const freshAsked = (kind: Kind = 'range'): Asked => ({
  kind,
  load: EXAMPLES[kind],
  ...CAPACITY_DEFAULTS,
  target: '',
})

/** As the server takes it. */
export const askedWords = ({ kind, load, exact, hold, within }: Asked): CapacityWords => ({
  ...{ [kind]: load.trim(), hold: hold.trim(), within: within.trim() },
  ...(kind === 'atLeast' ? {} : { exact: exact.trim() }),
})

const FIELD: Partial<Record<keyof CapacityWords, keyof Asked>> = { exact: 'exact', hold: 'hold', within: 'within' }
/** What is wrong with a field, in the words of who reads it. */
function faultOf(asked: Asked, field: keyof Asked): string | undefined {
  try {
    readCapacityGoal(askedWords(asked))
    return undefined
  } catch (error) {
    if (!(error instanceof CapacityFault)) throw error
    return (FIELD[error.what] ?? 'load') === field ? error.why : undefined
  }
}
const checked = (field: keyof Asked) =>
  string().test(field, (_, context) => {
    const fault = faultOf(context.parent as Asked, field)
    return fault === undefined ? true : context.createError({ message: fault })
  })
export const ASKED = object({
  kind: string().required(),
  ...{ load: checked('load'), exact: checked('exact'), hold: checked('hold'), within: checked('within') },
  target: string().defined(),
})
