// What a value maker makes, given draws.
import type { Json, WaitSentence } from '../language/sentences.js'
import type { Maker } from '../plan/model.js'
import { dateAfter } from '../language/dates.js'
import type { Draws } from './random.js'

const LETTERS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ'
const HEX = '0123456789abcdef'

/**
 * Makes one value.
 *
 * @param maker - any maker but those that are compiled: constants, picks, lists and patterns
 * @param draws - already moved to the maker's place
 * @param startedAtMs - start of the run, for dates, in ms since 1970 UTC
 */
export function makeValue(
  maker: Exclude<Maker, { kind: 'constant' | 'pick' | 'list' | 'pattern' }>,
  draws: Draws,
  startedAtMs: number,
): Json {
  switch (maker.kind) {
    case 'whole':
      return maker.from + Math.floor(draws.next() * (maker.to - maker.from + 1))
    case 'decimal':
      return Number((maker.from + draws.next() * (maker.to - maker.from)).toFixed(maker.places))
    case 'date':
      return dateAfter(startedAtMs, maker.days, maker.format, maker.zone)
    case 'uuid':
      return maker.version === 'v4' ? uuidV4(draws) : uuidV7(draws, startedAtMs)
    case 'text':
      return Array.from({ length: maker.length }, () => charOf(LETTERS, draws).toLowerCase()).join('')
    case 'normal':
      return maker.mean + maker.sd * draws.nextNormal()
    default:
      return maker satisfies never
  }
}

/**
 * Index of a weighted pick.
 *
 * @param weights - not negative, one at least above 0; they need not add up to anything
 */
export function pickIndex(weights: readonly number[], draws: Draws): number {
  const total = weights.reduce((sum, weight) => sum + weight, 0)
  let left = draws.next() * total
  for (const [index, weight] of weights.entries()) {
    left -= weight
    if (left < 0) return index
  }
  return weights.length - 1
}

/**
 * Length of one wait in ms: uniform in a range, or log-normal about its median.
 *
 * @param draws - at the place of this wait; a wait of fixed length takes none
 */
export function waitMs(wait: WaitSentence, draws: Draws): number {
  if (wait.kind === 'about') return wait.medianMs * Math.exp(wait.spread * draws.nextNormal())
  return wait.fromMs === wait.toMs ? wait.fromMs : wait.fromMs + draws.next() * (wait.toMs - wait.fromMs)
}

/** RFC 9562, version 4. */
function uuidV4(draws: Draws): string {
  return 'xxxxxxxx-xxxx-4xxx-yxxx-xxxxxxxxxxxx'.replaceAll(/[xy]/g, (sign) => {
    const nibble = Math.floor(draws.next() * 16)
    return HEX[sign === 'x' ? nibble : (nibble & 3) | 8] ?? '0'
  })
}

/** RFC 9562, version 7: 48 bits of the run's start in ms, then draws, so that a seed gives the same ids in one run. */
function uuidV7(draws: Draws, startedAtMs: number): string {
  const time = Math.floor(startedAtMs).toString(16).padStart(12, '0')
  const rest = uuidV4(draws).slice(15)
  return `${time.slice(0, 8)}-${time.slice(8)}-7${rest}`
}

function charOf(alphabet: string, draws: Draws): string {
  return alphabet[Math.floor(draws.next() * alphabet.length)] ?? ''
}

/** Whether a maker makes numbers, so that what stands in for its values must be one. */
export const isNumberMaker = ({ kind }: Maker): boolean => kind === 'whole' || kind === 'decimal' || kind === 'normal'
