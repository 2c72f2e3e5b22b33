// What a search for the capacity came to: its answer, and every trial it rests on.
import { array, boolean, mixed, number, object, string, type InferType } from 'yup'
import type { CapacityUnit } from './trial.js'
import type { Found, TrialAnswer } from './search.js'
import type { CapacityGate } from '../plan/model.js'
import { loadWords, type CapacityGoal } from './goal.js'

const figure = () => number().required()
const figureOrNone = () => number().nullable().defined()
const text = () => string().defined()

const isPair = (value: unknown): value is [low: number, high: number] =>
  Array.isArray(value) && value.length === 2 && value.every((end) => typeof end === 'number')
const isInterval = (value: unknown): value is [low: number | null, high: number | null] =>
  Array.isArray(value) && value.length === 2 && value.every((end) => end === null || typeof end === 'number')
const pair = () => mixed({ type: 'interval', check: isPair })

/** A gate in a trial. */
const trialGate = object({
  rule: text(),
  status: string().oneOf(['held', 'breached', 'undecided', 'unmeasured', 'no baseline', 'not judged']).required(),
  observed: figureOrNone(),
  limit: figureOrNone(),
  unit: string().oneOf(['ms', '/s', 'B/s', '%', 'count', 'score', 'value', 'grade']).required(),
  interval: mixed({ type: 'interval', check: isInterval }).nullable().defined(),
})
const stepTimes = object({ name: text(), p50: figureOrNone(), p95: figureOrNone(), p99: figureOrNone() })

const trial = object({
  load: figure(),
  holdSeconds: figure(),
  /** Why it was made at this load. */
  why: string()
    .oneOf(['doubling', 'narrowing', 'confirming', 'deciding'] as const)
    .required(),
  answer: string()
    .oneOf(['held', 'breached', 'undecided', 'not delivered'] as const)
    .required(),
  /** By how many deviations of what was observed the gate was from its limit; null for what told nothing. */
  deviations: figureOrNone(),
  /** The gate that gave way most surely. */
  gate: string().nullable().defined(),
  throughput: figure(),
  failedShare: figure(),
  requests: figure(),
  /** In the service at once, on average: throughput by response time (J. D. C. Little, 1961), or those of the load. */
  users: figure(),
  /** By how much the generator may have changed times, at its 99th percentile. */
  generatorErrorMs: figureOrNone(),
  gates: array().of(trialGate).required(),
  /** Response times of each step, in ms; null where it has none. */
  steps: array().of(stepTimes).required(),
  /** What stood out. */
  findings: array().of(text()).required(),
})
/** Parts of an answer that are told of a search before it has one. */
export const CAPACITY_PARTS = {
  trials: array().of(trial).required(),
  leftOut: array()
    .of(object({ rule: text(), why: text() }))
    .required(),
  interval: pair().nullable().defined(),
}
const lawFigure = object({ value: figure(), interval: pair().required() })

export const CAPACITY = object({
  unit: string()
    .oneOf(['arrivals', 'users'] as const)
    .required(),
  verdict: string()
    .oneOf(['open', 'shut', 'void', 'stopped'] as const)
    .required(),
  kind: string()
    .oneOf(['found', 'at least', 'below', 'holds', 'does not hold', 'unknown'] as const)
    .required(),
  /** The answer; null where it is unknown. */
  load: figureOrNone(),
  /** At 95 %. */
  interval: CAPACITY_PARTS.interval,
  words: text(),
  /** Of the load that did not hold: the gate that gave way first. */
  gate: string().nullable().defined(),
  trials: CAPACITY_PARTS.trials,
  leftOut: CAPACITY_PARTS.leftOut,
  /** Gates on the capacity itself. */
  gates: array()
    .of(
      object({
        rule: text(),
        status: string()
          .oneOf(['held', 'breached', 'undecided'] as const)
          .required(),
      }),
    )
    .default([]),
  law: object({
    alone: figure(),
    contention: lawFigure.required(),
    coherency: lawFigure.required(),
    r2: figure(),
    points: figure(),
    peakUsers: figureOrNone(),
    warning: string().nullable().defined(),
  })
    .nullable()
    .default(null)
    .defined(),
  /** Whether the load of `at least` was decided, and by that the verdict. */
  isGate: boolean().required(),
})
export type Capacity = InferType<typeof CAPACITY>
export type TrialMade = Capacity['trials'][number]

/** An answer, before the trials are added to it. */
export type CapacityAnswer = Pick<Capacity, 'verdict' | 'kind' | 'load' | 'interval' | 'words'>

const VERDICT_OF: Record<Found['kind'], Capacity['verdict']> = {
  ...{ found: 'open', 'at least': 'open', below: 'shut', unknown: 'void' },
}

/** What a search found, in words. */
export function searchAnswer(found: Found, unit: CapacityUnit, trials: readonly TrialMade[]): CapacityAnswer {
  // Half a user is none.
  const words = (load: number) => loadWords(unit === 'users' ? Math.round(load) : Number(load.toPrecision(3)), unit)
  const last = firstToGiveWay(trials)
  const gave = last === null ? '' : `; what gave way: ${last}`
  const common = { verdict: VERDICT_OF[found.kind], kind: found.kind }
  switch (found.kind) {
    case 'found': {
      const [low, high] = found.interval
      const between = `at 95 % between ${words(low)} and ${words(high)}`
      return { ...common, ...found, words: `capacity ${words(found.load)}, ${between}${gave}` }
    }
    case 'at least': {
      const why = found.why === 'range' ? 'all of the range holds' : 'this generator can do no more'
      return { ...common, load: found.load, interval: null, words: `capacity at least ${words(found.load)}: ${why}` }
    }
    case 'below':
      return {
        ...{ ...common, load: found.load, interval: null },
        words: `capacity below ${words(found.load)}, the lowest of the range${gave}`,
      }
    case 'unknown': {
      const [low, high] = found.interval
      return {
        ...{ ...common, load: null, interval: found.interval },
        words: `capacity unknown: the trials told too little; between ${words(low)} and ${words(high)} so far`,
      }
    }
  }
}

/** What was decided of one load, in words. */
export function decidedAnswer(
  outcome: 'held' | 'breached' | 'undecided',
  { highest: load, unit }: CapacityGoal,
  trials: readonly TrialMade[],
  answers: readonly TrialAnswer[],
): CapacityAnswer {
  const words = loadWords(load, unit)
  if (outcome === 'held')
    return { verdict: 'open', kind: 'holds', load, interval: null, words: `capacity at least ${words}: it holds` }
  const gate = firstToGiveWay(trials)
  const gave = gate === null ? '' : `; what gave way: ${gate}`
  if (outcome === 'breached')
    return {
      ...{ verdict: 'shut', kind: 'does not hold', load, interval: null },
      words: `capacity below ${words}${gave}`,
    }
  const isOurs = answers.some(({ kind }) => kind === 'not delivered')
  const why = isOurs
    ? 'this generator could not make the load'
    : `${String(answers.length)} trials told too little${nearestWords(answers)}`
  return unknownAnswer(`whether it holds ${words} is unknown: ${why}`)
}

/** A gate on the capacity, by what a search came to: what lies within the interval is not decided. */
export function statusOfGate(
  { perSecond }: Pick<CapacityGate, 'perSecond'>,
  { kind, load, interval }: CapacityAnswer,
): 'held' | 'breached' | 'undecided' {
  if (load === null) return 'undecided'
  switch (kind) {
    case 'found':
      if (interval === null) return 'undecided'
      return perSecond <= interval[0] ? 'held' : perSecond > interval[1] ? 'breached' : 'undecided'
    case 'at least':
    case 'holds':
      return perSecond <= load ? 'held' : 'undecided'
    case 'below':
    case 'does not hold':
      return perSecond >= load ? 'breached' : 'undecided'
    case 'unknown':
      return 'undecided'
  }
}

/** An answer with the gates on it: by them the verdict is what it is, unless nothing held or nothing was told. */
export function withGates(
  answer: CapacityAnswer,
  wanted: readonly CapacityGate[],
): CapacityAnswer & Pick<Capacity, 'gates'> {
  const gates = wanted.map((gate) => ({ rule: gate.rule, status: statusOfGate(gate, answer) }))
  const has = (status: (typeof gates)[number]['status']) => gates.some((gate) => gate.status === status)
  const verdict =
    answer.verdict !== 'open' ? answer.verdict : has('breached') ? 'shut' : has('undecided') ? 'void' : 'open'
  const said = gates.map(({ rule, status }) => `; ${status}: ${rule}`).join('')
  return { ...answer, verdict, words: `${answer.words}${said}`, gates }
}

export const unknownAnswer = (words: string, verdict: 'void' | 'stopped' = 'void'): CapacityAnswer => ({
  ...{ verdict, kind: 'unknown', load: null, interval: null, words },
})

/** The gate that gave way at the lowest load that did not hold; null where all held. */
export function firstToGiveWay(trials: readonly TrialMade[]): string | null {
  const breached = trials.filter(({ answer, gate }) => answer === 'breached' && gate !== null)
  return breached.toSorted((one, other) => one.load - other.load)[0]?.gate ?? null
}

/** Which gate was never sure, though it held, or could not be judged: both may be for too few requests. */
function nearestWords(answers: readonly TrialAnswer[]): string {
  const nearest = answers.findLast((answer) => answer.kind === 'held')?.nearest
  const why = answers.findLast((answer) => answer.kind === 'undecided')?.why
  if (nearest !== undefined) return ` of "${nearest}": a longer hold tells more`
  return why === undefined ? '' : `: ${why}; a longer hold tells more`
}
