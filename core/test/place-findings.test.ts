// One place as a cause: found where it is, and seldom where it is not, though the service itself has better and worse
// seconds that hang together.
import { describe, expect, it } from 'vitest'
import {
  emptyBucket,
  emptyStep,
  explain,
  gatesOf,
  previewOf,
  RunView,
  shapeOf,
  type Bucket,
  type Finding,
} from '../src/index.js'
import { distributionOf } from './buckets.js'
import { planText, read } from './reading.js'

const SECONDS = 60
const EACH = 8
const STEPS = `  a:
    steps:
      - send: GET /search
        name: search
      - send: GET /view
        name: view
`
interface Way {
  /** Slower by so many ms, by step. */
  slowerMs?: readonly [number, number]
  failedShare?: number
}

/** A run from north and south; of the south a way of its own. */
function findingsOf({ slowerMs = [0, 0], failedShare = 0 }: Way, seed: number): Finding[] {
  const load = `  - { phase: p, rate: ${String(4 * EACH)}/s, for: ${String(SECONDS)}s }`
  const { plan } = read(planText({ load, top: 'places: { north: 1, south: 1 }\n', journeys: STEPS }))
  const view = new RunView({ gates: gatesOf(plan), shape: shapeOf(plan, previewOf(plan).phases) })
  const draw = seeded(seed)
  let level = 0
  for (let second = 0; second < SECONDS; second++) {
    // Memory of some five seconds, which both places share.
    level = 0.8 * level + 0.3 * (draw() - 0.5)
    const ofPlace = (slower: readonly number[], share: number) =>
      slower.map((ms, step) => {
        const failed = Array.from({ length: EACH }, () => draw()).filter((one) => one < share).length
        const times = Array.from({ length: EACH - failed }, () => 40 * Math.exp(level + 0.4 * (draw() - 0.5)) + ms)
        return {
          ...emptyStep(0, 0, step, 0),
          ...{ requests: EACH, failed, responseTime: distributionOf(times) },
          failedTime: distributionOf(new Array<number>(failed).fill(1)),
        }
      })
    const parts = [ofPlace([0, 0], 0.01), ofPlace(slowerMs, 0.01 + failedShare)]
    const places = parts.map((steps, place): Bucket['places'][number] => ({
      place,
      bucket: { ...emptyBucket(second), steps },
    }))
    view.add({ kind: 'bucket', bucket: { ...emptyBucket(second), steps: parts.flat(), places } })
  }
  view.add({ kind: 'end' })
  const { findings } = explain({ view, gates: plan.gates, reasons: [] })
  return findings.filter(({ kind }) => kind === 'one place')
}

describe('one place', () => {
  it('that is farther away is told as such, by as much in each step', () => {
    const [found, ...others] = findingsOf({ slowerMs: [30, 30] }, 1)
    expect(others).toEqual([])
    expect(found).toMatchObject({ severity: 'info', steps: [], evidence: { place: 'south' } })
    expect(found?.text).toMatch(
      /^From "south" the median is [67]\d(\.\d)? ms, and [34]\d(\.\d)? ms from elsewhere .* in each step\.$/,
    )
    expect(found?.tryNext[0]).toMatch(/longer way/)
  })

  it('of which one step alone is slower names that step', () => {
    const [found] = findingsOf({ slowerMs: [0, 60] }, 2)
    expect(found).toMatchObject({ steps: ['view'], evidence: { place: 'south' } })
    expect(found?.text).toMatch(/above all in "view" \(by [56]\d(\.\d)? ms\)/)
  })

  it('from which more fails is a warning', () => {
    const found = findingsOf({ failedShare: 0.08 }, 3)
    expect(found).toMatchObject([{ severity: 'warning', evidence: { place: 'south' } }])
    expect(found[0]?.text).toMatch(/^From "south" \d+(\.\d+)? % of the requests failed, and 1/)
  })

  it('is found in all of twenty runs where it is there, and in none of forty where it is not', () => {
    const runs = (way: Way, count: number) => Array.from({ length: count }, (_, seed) => findingsOf(way, 100 + seed))
    const slower = runs({ slowerMs: [20, 20] }, 20)
    expect(slower.map((found) => found.filter(({ severity }) => severity === 'info').length)).toEqual(
      new Array<number>(20).fill(1),
    )
    expect(slower.flat().filter(({ severity }) => severity === 'warning')).toEqual([])
    expect(runs({}, 40).flat()).toEqual([])
  })
})

function seeded(seed: number): () => number {
  let state = seed
  return () => {
    state = (state * 1_664_525 + 1_013_904_223) % 4_294_967_296
    return (state + 0.5) / 4_294_967_296
  }
}
