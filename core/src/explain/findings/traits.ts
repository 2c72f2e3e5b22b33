// What tells two groups of requests apart: the status, the size of the answer, or whether a connection was opened.
import type { DrawnCell } from '../../measure/bucket.js'
import { numberWords, SURE } from '../finding.js'

/** Fewer say little; of more, evenly spaced ones are taken. */
const LEAST = 40
const MOST = 400
/** A trait names the group of so many requests rightly, and of three quarters of those that size alone would not. */
const RIGHT = 0.9
const OF_THE_REST = 0.75
const SHUFFLES = 999

export interface Trait {
  kind: 'status' | 'size' | 'connection'
  /** What the slower ones are. */
  words: string
  /** Of the requests, whose group it names rightly. */
  right: number
}

interface TraitWords {
  right: number
  /** What is slow by it. */
  words: string
}
/** Tells the groups apart by one trait, as well as it can. */
type Classifier = (isSlow: readonly boolean[]) => TraitWords

/**
 * The trait that tells slow requests from fast ones best.
 *
 * Permutation test: the groups are laid anew among the requests, and it is counted how often a trait, fitted anew,
 * names as many rightly (P. Good, Permutation tests, 1994).
 */
export function tellingTrait(requests: readonly DrawnCell[], splitMs: number, random: () => number): Trait | undefined {
  const step = Math.max(1, requests.length / MOST)
  const taken = Array.from(
    { length: Math.floor(requests.length / step) },
    (_, index) => requests.slice(Math.floor(index * step))[0],
  ).filter((request) => request !== undefined)
  const isSlow = taken.map(({ totalMs }) => totalMs > splitMs)
  const slow = isSlow.filter(Boolean).length
  if (taken.length < LEAST || slow === 0 || slow === taken.length) return undefined
  const bySize = Math.max(slow, taken.length - slow) / taken.length
  const least = Math.max(RIGHT, bySize + OF_THE_REST * (1 - bySize))
  const classifiers: [Trait['kind'], Classifier][] = [
    ['status', byStatus(taken)],
    ['connection', byConnection(taken)],
    ['size', byResponseSize(taken)],
  ]
  const [best] = classifiers
    .map(([kind, classify]) => ({ kind, classify, ...classify(isSlow) }))
    .filter(({ right }) => right >= least)
    .toSorted((one, other) => other.right - one.right)
  if (best === undefined || !isSure(best.classify, best.right, isSlow, random)) return undefined
  return { kind: best.kind, words: best.words, right: best.right }
}

function isSure(classify: Classifier, right: number, isSlow: readonly boolean[], random: () => number): boolean {
  let asGood = 0
  for (let shuffle = 0; shuffle < SHUFFLES; shuffle++) if (classify(shuffled(isSlow, random)).right >= right) asGood++
  return (asGood + 1) / (SHUFFLES + 1) <= SURE
}

/** R. A. Fisher and F. Yates, 1938, as a loop (R. Durstenfeld, 1964). */
function shuffled<T>(values: readonly T[], random: () => number): T[] {
  const shuffledValues = [...values]
  for (let last = shuffledValues.length - 1; last > 0; last--) {
    const other = Math.floor(random() * (last + 1))
    const [one, two] = [shuffledValues[last], shuffledValues[other]]
    if (one === undefined || two === undefined) continue
    shuffledValues[last] = two
    shuffledValues[other] = one
  }
  return shuffledValues
}

function byStatus(requests: readonly DrawnCell[]): Classifier {
  const statuses = [...new Set(requests.map(({ status }) => status))]
  return (isSlow) => {
    let right = 0
    const slowOnes: number[] = []
    for (const status of statuses) {
      let [slow, all] = [0, 0]
      for (const [index, request] of requests.entries()) {
        if (request.status !== status) continue
        all++
        if (isSlow[index] === true) slow++
      }
      right += Math.max(slow, all - slow)
      if (2 * slow > all) slowOnes.push(status)
    }
    const named = slowOnes.map((status) => (status === 0 ? 'no status' : `status ${String(status)}`))
    return { right: right / requests.length, words: `have ${named.toSorted().join(' or ')}` }
  }
}

function byConnection(requests: readonly DrawnCell[]): Classifier {
  return (isSlow) => {
    const right = requests.filter(({ isConnected }, index) => isConnected === isSlow[index]).length / requests.length
    return right >= 0.5
      ? { right, words: 'opened a connection' }
      : { right: 1 - right, words: 'used a connection that was there' }
  }
}

/** The size above or below which most are slow. */
function byResponseSize(requests: readonly DrawnCell[]): Classifier {
  const order = requests
    .map(({ bytesReceived }, index) => ({ bytesReceived, index }))
    .toSorted((one, other) => one.bytesReceived - other.bytesReceived)
  return (isSlow) => {
    const slow = isSlow.filter(Boolean).length
    let [slowBelow, best] = [0, { right: 0, words: '' }]
    for (const [below, { bytesReceived, index }] of order.entries()) {
      const before = order[below - 1]
      if (before !== undefined && before.bytesReceived < bytesReceived) {
        // Rightly named where the larger ones are the slow ones.
        const named = (below - slowBelow + slow - slowBelow) / order.length
        const middle = `${numberWords((before.bytesReceived + bytesReceived) / 2)} bytes`
        if (named > best.right) best = { right: named, words: `have answers of more than ${middle}` }
        if (1 - named > best.right) best = { right: 1 - named, words: `have answers of less than ${middle}` }
      }
      if (isSlow[index] === true) slowBelow++
    }
    return best
  }
}
