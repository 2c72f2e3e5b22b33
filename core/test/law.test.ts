// The Universal Scalability Law, against published data and against theory.
import { describe, expect, it } from 'vitest'
import { fitLaw, throughputBy, type LawPoint } from '../src/index.js'

const pointsOf = (pairs: [users: number, throughput: number][]): LawPoint[] =>
  pairs.map(([users, throughput]) => ({ users, throughput }))

describe('the law of scalability', () => {
  // SPEC SDM91 on a 16-way machine, as in N. J. Gunther, Guerrilla Capacity Planning, Springer 2007, chapter 5; the fit
  // is that of the R package usl, vignette "Analyze system scalability in R with the Universal Scalability Law". From
  // memory.
  it('is fitted to a published benchmark as others fit it', () => {
    const law = fitLaw(
      pointsOf([
        [1, 64.9],
        [18, 995.9],
        [36, 1652.4],
        [72, 1853.2],
        [108, 1828.9],
        [144, 1775],
        [216, 1702.2],
      ]),
    )
    expect(law?.alone).toBeCloseTo(89.9952, 3)
    expect(law?.contention.value).toBeCloseTo(0.02773, 5)
    expect(law?.coherency.value).toBeCloseTo(0.00010437, 8)
    expect(law?.peakUsers).toBeCloseTo(96.52, 2)
    expect(law?.warning).toBeNull()
  })

  // Gunther 2007, chapter 6: a queue with one server, M/M/1, is the law with half of the work in contention and none in
  // coherency, by L = ρ / (1 − ρ).
  it('finds of a queue with one server that half of the work waits, and no peak', () => {
    const law = fitLaw(pointsOf([0.1, 0.3, 0.5, 0.7, 0.8, 0.9, 0.95].map((busy) => [busy / (1 - busy), 100 * busy])))
    expect(law).toMatchObject({ peakUsers: null, warning: null })
    expect(law?.alone).toBeCloseTo(50, 6)
    expect(law?.contention.value).toBeCloseTo(0.5, 6)
    expect(law?.coherency.value).toBeCloseTo(0, 9)
  })

  it('names no peak beyond the data', () => {
    const known = { ...flat(), contention: figure(0.02), coherency: figure(0.0001), alone: 10 }
    const up = (most: number) => [1, 4, 10, 20, 30, 40].map((step) => (step / 40) * most)
    const fitted = (most: number) =>
      fitLaw(up(most).map((users) => ({ users, throughput: throughputBy(known, users) })))
    // It lies at √(0.98 / 0.0001) = 99 users.
    expect(fitted(90)?.peakUsers).toBeNull()
    expect(fitted(120)?.peakUsers).toBeCloseTo(98.99, 1)
  })

  it('has intervals that hold the truth about as often as they say', () => {
    const known = { ...flat(), contention: figure(0.05), coherency: figure(0.001), alone: 40 }
    const draw = seeded(7)
    let [contention, coherency] = [0, 0]
    const searches = 300
    for (let search = 0; search < searches; search++) {
      const law = fitLaw(
        [1, 2, 4, 8, 12, 16, 24, 32].map((users) => {
          return { users, throughput: throughputBy(known, users) + 4 * normal(draw) }
        }),
      )
      const holds = ([low, high]: readonly [number, number], value: number) => (low <= value && value <= high ? 1 : 0)
      contention += holds(law?.contention.interval ?? [0, 0], 0.05)
      coherency += holds(law?.coherency.interval ?? [0, 0], 0.001)
    }
    expect(contention / searches).toBeGreaterThan(0.91)
    expect(coherency / searches).toBeGreaterThan(0.91)
  })

  it('says where the data do not carry it, or makes none', () => {
    expect(
      fitLaw(
        pointsOf([
          [1, 10],
          [2, 19],
          [4, 35],
        ]),
      ),
    ).toBeUndefined()
    expect(
      fitLaw(
        pointsOf([
          [5, 10],
          [5, 10],
          [5, 11],
          [5, 10.4],
        ]),
      ),
    ).toBeUndefined()
    expect(
      fitLaw(
        pointsOf([
          [1, 10],
          [2, 19],
          [4, 35],
          [8, 60],
        ]),
      )?.warning,
    ).toBe('4 trials are few for it')
    const wild = pointsOf([
      [1, 10],
      [2, 50],
      [4, 12],
      [8, 90],
      [16, 20],
      [32, 70],
    ])
    expect(fitLaw(wild)?.warning).toMatch(/does not go through/)
    expect(
      fitLaw(
        pointsOf([
          [0.01, 1],
          [0.02, 2],
          [0.03, 3.01],
          [0.04, 3.99],
          [0.05, 5],
          [0.06, 6.01],
        ]),
      )?.warning,
    ).not.toBeNull()
  })
})

const figure = (value: number) => ({ value, interval: [value, value] as [number, number] })
const flat = () => ({ r2: 1, points: 6, peakUsers: null, warning: null })

function seeded(seed: number): () => number {
  let state = seed
  return () => {
    state = (state * 1_664_525 + 1_013_904_223) % 4_294_967_296
    return (state + 0.5) / 4_294_967_296
  }
}
/** G. E. P. Box and M. E. Muller, 1958. */
const normal = (draw: () => number) => Math.sqrt(-2 * Math.log(draw())) * Math.cos(2 * Math.PI * draw())
