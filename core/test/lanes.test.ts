// Lanes of a run's page: their text in the address, and the series that one's own lanes show.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  emptyScope,
  isLane,
  lanesText,
  OwnSeries,
  readLanes,
  seriesIn,
  timeTicks,
  type LaneSpec,
  type SeriesOf,
} from '../src/index.js'
import { HEALTHY, simulate } from './simulated.js'

const name = fc.string({ minLength: 1, maxLength: 12, unit: 'grapheme' })
const series: fc.Arbitrary<SeriesOf> = fc.oneof(
  fc.record({ of: fc.constant('step' as const), name, figure: fc.constantFrom('median' as const, 'failed' as const) }),
  fc.record({
    of: fc.constant('journey' as const),
    name,
    figure: fc.constantFrom('p99' as const, 'finished' as const),
  }),
  fc.record({ of: fc.constant('metric' as const), name }),
  fc.record({ of: fc.constant('generator' as const), figure: fc.constantFrom('busy' as const, 'error' as const) }),
)
const own = fc.record({
  kind: fc.constant('own' as const),
  series: fc.array(series, { minLength: 1, maxLength: 4 }).filter(isLane),
  isTall: fc.boolean(),
})

describe('a time axis', () => {
  it('is marked from its start on, in even steps and no more than there is room for, to its end', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1_000_000 }), fc.integer({ min: 2, max: 12 }), (seconds, most) => {
        const ticks = timeTicks(seconds, most)

        const [first, second = seconds] = ticks
        expect(first).toBe(0)
        expect(ticks.length).toBeLessThanOrEqual(most + 1)
        expect(ticks).toEqual(ticks.map((_, index) => index * second))
        expect(ticks.at(-1)).toBeLessThanOrEqual(seconds)
        expect((ticks.at(-1) ?? 0) + second).toBeGreaterThanOrEqual(seconds)
      }),
    )
    expect(timeTicks(90, 10)).toEqual([0, 10, 20, 30, 40, 50, 60, 70, 80, 90])
  })
})

describe('lanes as text', () => {
  it('are read as they were written, whatever names there are', () => {
    fc.assert(
      fc.property(fc.array(own, { maxLength: 4 }), fc.boolean(), (lanes, isTall) => {
        const all: LaneSpec[] = [{ kind: 'built in', name: 'time', isTall }, ...lanes]

        expect(readLanes(lanesText(all))).toEqual(all)
      }),
    )
  })

  it('are bounded, and what is none is left out', () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        expect(readLanes(text).length).toBeLessThanOrEqual(10)
      }),
    )
    expect(readLanes('time,time,nonsense,step~a,step~a~p95+metric~b+generator~busy,%,step~%E0~p95')).toEqual([
      { kind: 'built in', name: 'time', isTall: false },
    ])
    expect(readLanes(Array.from({ length: 9 }, (_, n) => `metric~${String(n)}`).join(','))).toHaveLength(4)
  })
})

describe('a series of a run', () => {
  const { view } = simulate('  - { phase: hold, rate: 20/s, for: 20s }', HEALTHY)

  it('is by second what the tables say of that second', () => {
    const { valuesOf } = bound(new OwnSeries(view))
    for (const second of [3, 11]) {
      const [table] = view.steps({ fromSecond: second, toSecond: second + 1 })
      const of = (figure: 'p95' | 'requests' | 'failed') => valuesOf({ of: 'step', name: 'search', figure })[second]

      expect(of('p95')).toBeCloseTo(table?.responseTime?.percentiles['95'] ?? NaN, 2)
      expect(of('requests')).toBe(table?.requests)
      expect(of('failed')).toBe(table?.failed)
    }
    expect(valuesOf({ of: 'metric', name: 'busy places' })).toHaveLength(view.seconds)
    expect(valuesOf({ of: 'step', name: 'gone', figure: 'p95' }).every((value) => value === null)).toBe(true)
  })

  it('goes on where it was as seconds come', () => {
    const { view: live } = simulate('  - { phase: hold, rate: 20/s, for: 5s }', HEALTHY)
    const asked = bound(new OwnSeries(live))
    const before = [...asked.valuesOf({ of: 'step', name: 'search', figure: 'requests' })]
    const [bucket] = live.buckets
    if (bucket === undefined) throw new Error('the run has no second')
    live.add({ kind: 'bucket', bucket: { ...bucket, second: 30 } })

    const after = asked.valuesOf({ of: 'step', name: 'search', figure: 'requests' })
    expect(after.slice(0, before.length)).toEqual(before)
    expect(after[30]).toBe(before[0])
  })

  it('of failed journeys has those that were cut off, as the tables have them', () => {
    const { view: live } = simulate('  - { phase: hold, rate: 20/s, for: 2s }', HEALTHY)
    const [bucket] = live.buckets
    const [journey = ''] = live.shape.journeys
    if (bucket === undefined) throw new Error('the run has no second')
    const journeys = [{ ...emptyScope(0, 0, 0), started: 5, endedFailed: 3, cutOff: 2 }]
    live.add({ kind: 'bucket', bucket: { ...bucket, second: 9, journeys } })

    const failed = new OwnSeries(live).valuesOf({ of: 'journey', name: journey, figure: 'failed' })

    expect(failed[9]).toBe(5)
    expect(live.journeys({ fromSecond: 9, toSecond: 10 })[0]?.failed).toBe(5)
  })

  it('is one of those that are offered', () => {
    expect(seriesIn(view.shape).filter(({ of }) => of === 'step')).toHaveLength(5)
  })
})

const bound = (own: OwnSeries) => ({ valuesOf: (of: SeriesOf) => own.valuesOf(of) })
