// The kinds of phases: each is one entry that holds how many arrivals and users it wants and when, how it scales, and
// how it is said. All of it is arithmetic on the phase alone; seconds count from its start.
import type { Phase } from './model.js'

type PhaseOf<Kind extends Phase['kind']> = Extract<Phase, { kind: Kind }>

interface PhaseKind<P extends Phase> {
  /** Whether arrivals come by themselves, so that it is known how many are due. */
  isOpen: boolean
  /** Arrival rate per second at a moment; 0 where users come again by themselves. */
  rateAt: (phase: P, seconds: number) => number
  /** The integral of the rate over the first seconds. */
  arrivalsIn: (phase: P, seconds: number) => number
  /** The moment, in seconds, at which the integral reaches a value. */
  secondsUntil: (phase: P, value: number) => number
  /** Concurrent users wanted at a moment; 0 in the open model. */
  usersAt: (phase: P, seconds: number) => number
  /** The same phase at another size; `whole` multiplies what is counted. */
  scaled: (phase: P, factor: number, whole: (count: number) => number) => P
  /** What it asks for, in the words of the format. */
  words: (phase: P) => string
}

const NO_ARRIVALS = {
  rateAt: () => 0,
  arrivalsIn: () => 0,
  secondsUntil: (phase: Phase) => phase.seconds,
}
const NO_USERS = { usersAt: () => 0 }

const KINDS: Readonly<Record<Phase['kind'], PhaseKind<Phase>>> = {
  constant: define('constant', {
    isOpen: true,
    rateAt: ({ rate }) => rate,
    arrivalsIn: ({ rate }, seconds) => rate * seconds,
    secondsUntil: ({ rate, seconds }, value) => Math.min(seconds, value / rate),
    ...NO_USERS,
    scaled: (phase, factor) => ({ ...phase, rate: phase.rate * factor }),
    words: ({ rate }) => `${String(rate)}/s`,
  }),
  ramp: define('ramp', {
    isOpen: true,
    rateAt: ({ from, to, seconds: length }, seconds) => from + ((to - from) * seconds) / length,
    arrivalsIn: ({ from, to, seconds: length }, seconds) =>
      from * seconds + ((to - from) * seconds * seconds) / (2 * length),
    secondsUntil: ({ from, to, seconds }, value) => {
      // Root of slope/2 t² + from t = value, in the form that stays exact for a slope near 0 and for a fall to 0.
      const slope = (to - from) / seconds
      const root = Math.sqrt(Math.max(0, from * from + 2 * slope * value))
      return Math.min(seconds, (2 * value) / (from + root))
    },
    ...NO_USERS,
    scaled: (phase, factor) => ({ ...phase, from: phase.from * factor, to: phase.to * factor }),
    words: ({ from, to }) => `${String(from)}/s to ${String(to)}/s`,
  }),
  batch: define('batch', {
    isOpen: true,
    rateAt: ({ starts, seconds }) => starts / seconds,
    arrivalsIn: ({ starts, seconds: length }, seconds) => (seconds === length ? starts : (starts * seconds) / length),
    secondsUntil: ({ starts, seconds }, value) => Math.min(seconds, (value * seconds) / starts),
    ...NO_USERS,
    scaled: (phase, _factor, whole) => ({ ...phase, starts: whole(phase.starts) }),
    words: ({ starts }) => `${String(starts)} starts`,
  }),
  rest: define('rest', { isOpen: true, ...NO_ARRIVALS, ...NO_USERS, scaled: (phase) => phase, words: () => 'rest' }),
  users: define('users', {
    isOpen: false,
    ...NO_ARRIVALS,
    usersAt: ({ from, to, seconds: length }, seconds) => Math.floor(from + ((to - from) * seconds) / length + 0.5),
    scaled: (phase, _factor, whole) => ({ ...phase, from: whole(phase.from), to: whole(phase.to) }),
    words: ({ from, to }) => `${from === to ? '' : `${String(from)} to `}${String(to)} users`,
  }),
  iterations: define('iterations', {
    isOpen: false,
    ...NO_ARRIVALS,
    usersAt: ({ users }) => users,
    scaled: (phase, _factor, whole) => ({ ...phase, users: whole(phase.users) }),
    words: ({ users, iterations }) => `${String(users)} users, ${String(iterations)} iterations each`,
  }),
}

/** An entry for one kind as an entry for any phase: it is only ever asked of phases of its kind. */
function define<Kind extends Phase['kind']>(kind: Kind, rules: PhaseKind<PhaseOf<Kind>>): PhaseKind<Phase> {
  const own = (phase: Phase): PhaseOf<Kind> => {
    if (isOf(phase, kind)) return phase
    throw new TypeError(`a phase of the kind ${phase.kind} is not of the kind ${kind}`)
  }
  return {
    isOpen: rules.isOpen,
    rateAt: (phase, seconds) => rules.rateAt(own(phase), seconds),
    arrivalsIn: (phase, seconds) => rules.arrivalsIn(own(phase), seconds),
    secondsUntil: (phase, value) => rules.secondsUntil(own(phase), value),
    usersAt: (phase, seconds) => rules.usersAt(own(phase), seconds),
    scaled: (phase, factor, whole) => rules.scaled(own(phase), factor, whole),
    words: (phase) => rules.words(own(phase)),
  }
}

function isOf<Kind extends Phase['kind']>(phase: Phase, kind: Kind): phase is PhaseOf<Kind> {
  return phase.kind === kind
}

/** Whether arrivals come by themselves in a phase, so that it is known how many are due. */
export const isOpenPhase = ({ kind }: Pick<Phase, 'kind'>): boolean => KINDS[kind].isOpen

/** Arrival rate of a phase, per second, at a moment of it; 0 where users come again by themselves. */
export const rateAt = (phase: Phase, seconds: number): number => KINDS[phase.kind].rateAt(phase, seconds)

/** The integral of the rate over the first seconds of a phase. */
export const arrivalsIn = (phase: Phase, seconds: number): number => KINDS[phase.kind].arrivalsIn(phase, seconds)

/** The moment of a phase, in seconds, at which the integral of its rate reaches a value. */
export const secondsUntil = (phase: Phase, value: number): number => KINDS[phase.kind].secondsUntil(phase, value)

/**
 * Concurrent users wanted at a moment of a phase; 0 in the open model.
 *
 * @param seconds - from the start of the phase
 */
export const usersAt = (phase: Phase, seconds: number): number => KINDS[phase.kind].usersAt(phase, seconds)

/** A phase at another size: rates by a factor, what is counted by `whole`. */
export const scaledPhase = (phase: Phase, factor: number, whole: (count: number) => number): Phase =>
  KINDS[phase.kind].scaled(phase, factor, whole)

/** What a phase asks for, in the words of the format. */
export const phaseWords = (phase: Phase): string => KINDS[phase.kind].words(phase)
