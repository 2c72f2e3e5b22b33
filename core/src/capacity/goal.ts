// What is searched for: the range, how exact, how long; read from words as people write them.
import { readSentence } from '../language/sentences.js'
import type { CapacityGate } from '../plan/model.js'
import type { CapacityUnit } from './trial.js'

export type CapacityGoal = {
  unit: CapacityUnit
  lowest: number
  highest: number
  /** Of a trial, without its warm-up. */
  holdSeconds: number
  /** All of it takes no longer. */
  withinSeconds: number
} &
  /** `exact`: how wide the interval may be that the answer lies in, as a share of its lower end. */
  ({ kind: 'search'; exact: number } | { kind: 'at least' })

/** As the command and the form take them; what is left out has its default. */
export interface CapacityWords {
  range?: string | undefined
  users?: string | undefined
  atLeast?: string | undefined
  exact?: string | undefined
  hold?: string | undefined
  within?: string | undefined
}

export const CAPACITY_DEFAULTS = { exact: '5 %', hold: '30s', within: '20m' } as const
/** A search that takes longer than a day is none. */
const MOST_SECONDS = 86_400

export class CapacityFault extends Error {
  constructor(
    /** Which of the words is wrong. */
    readonly what: keyof CapacityWords,
    readonly why: string,
  ) {
    super(why)
  }
}

/**
 * @param wanted - gates of the plan on its capacity: where nothing else is asked for, they are decided
 * @throws CapacityFault that says which words are wrong, and what was expected
 */
export function readCapacityGoal(
  asked: CapacityWords,
  wanted: readonly Pick<CapacityGate, 'perSecond'>[] = [],
): CapacityGoal {
  const isOpen = asked.range === undefined && asked.users === undefined && asked.atLeast === undefined
  const most = Math.max(...wanted.map(({ perSecond }) => perSecond))
  const words = isOpen && wanted.length > 0 ? { ...asked, atLeast: `${String(most)}/s` } : asked
  const { exact = CAPACITY_DEFAULTS.exact } = words
  const holdSeconds = secondsOf('hold', words.hold ?? CAPACITY_DEFAULTS.hold)
  const lengths = { holdSeconds, withinSeconds: secondsOf('within', words.within ?? CAPACITY_DEFAULTS.within) }
  if (words.atLeast !== undefined) {
    if (words.range !== undefined || words.users !== undefined)
      throw new CapacityFault('atLeast', 'one load is decided alone: leave the range out')
    const load = loadOf('atLeast', words.atLeast)
    return { kind: 'at least', unit: load.unit, lowest: load.value, highest: load.value, ...lengths }
  }
  const { what, ends } = rangeOf(words)
  const [from, to] = ends
  if (from === undefined || to === undefined || ends.length !== 2 || from.unit !== to.unit || from.value >= to.value)
    throw new CapacityFault(
      what,
      `expected two loads, the lower first, such as ${what === 'users' ? '"10 to 400"' : '"20/s to 2000/s"'}`,
    )
  const share = /^(\d+(?:\.\d+)?)\s*%$/.exec(exact.trim())?.[1]
  if (share === undefined || Number(share) < 1 || Number(share) > 50)
    throw new CapacityFault('exact', 'expected a share from 1 % to 50 %')
  const range = { unit: from.unit, lowest: from.value, highest: to.value }
  return { kind: 'search', ...range, exact: Number(share) / 100, ...lengths }
}

interface Load {
  unit: CapacityUnit
  value: number
}

function rangeOf({ range, users }: CapacityWords): { what: 'range' | 'users'; ends: Load[] } {
  const split = (text: string) => text.trim().split(/\s+to\s+/)
  if (range !== undefined && users === undefined)
    return { what: 'range', ends: split(range).map((end) => loadOf('range', end)) }
  if (users !== undefined && range === undefined)
    return { what: 'users', ends: split(users).map((end) => loadOf('users', `${end} users`)) }
  throw new CapacityFault(
    'range',
    'give a range of rates, such as "20/s to 2000/s", one of users, or one load to decide',
  )
}

function loadOf(what: keyof CapacityWords, text: string): Load {
  const users = /^(\d{1,7})\s+users?$/.exec(text.trim())?.[1]
  if (users !== undefined && Number(users) > 0) return { unit: 'users', value: Number(users) }
  const rate = readSentence('RateOnly', text.trim())
  if (rate.ok && rate.value > 0) return { unit: 'arrivals', value: rate.value }
  throw new CapacityFault(what, `"${text}" is neither a rate such as 300/s nor a number of users`)
}

function secondsOf(what: 'hold' | 'within', text: string): number {
  const length = readSentence('DurationOnly', text.trim())
  if (!length.ok) throw new CapacityFault(what, length.fault.message)
  if (length.value < 1000 || length.value > 1000 * MOST_SECONDS)
    throw new CapacityFault(what, 'expected from a second to a day')
  return length.value / 1000
}

export const loadWords = (load: number, unit: CapacityUnit): string =>
  unit === 'arrivals' ? `${String(load)}/s` : `${String(load)} ${load === 1 ? 'user' : 'users'}`
