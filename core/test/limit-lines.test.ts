// Gates as the run chart draws them: limit lines over the phases that they cover, with their value of each second.
import { describe, expect, it } from 'vitest'
import { limitLinesOf, previewOf, RunView, shapeOf } from '../src/index.js'
import { bucketOf } from './buckets.js'
import { planText, read } from './reading.js'

const LOAD = `  - { phase: rise, rate: 1/s to 5/s, for: 3s }
  - { phase: hold, rate: 5/s, for: 4s }
  - { phase: pause, rest: 2s }
  - { phase: peak, rate: 9/s, for: 3s }`
/** The seconds in which the phases begin. */
const STARTS = [0, 3, 7, 9]
const JOURNEYS = `  look around:
    steps:
      - { send: GET /sailings, name: search }
      - { send: GET /sailings/1, name: show }`

/** The limit lines of a run of twelve seconds whose times are given second by second. */
function limitLines(gates: readonly string[], times: readonly (number | undefined)[] = []) {
  const { plan, problems } = read(
    planText({ load: LOAD, journeys: JOURNEYS, gates: gates.map((gate) => `  - ${gate}`).join('\n') }),
  )
  if (problems.length > 0) throw new Error(problems[0]?.message)
  const shape = shapeOf(plan, previewOf(plan).phases)
  const view = new RunView({ gates: plan.gates, shape })
  for (const [second, ms] of times.entries()) {
    const phase = STARTS.findLastIndex((start) => start <= second)
    if (ms !== undefined)
      view.add({ kind: 'bucket', bucket: bucketOf(second, { ms: Array<number>(10).fill(ms), phase }) })
  }
  return limitLinesOf(plan.gates, view)
}
const spans = (gate: string) => limitLines([gate])[0]?.spans.map(({ fromSecond, toSecond }) => [fromSecond, toSecond])

describe('a limit line', () => {
  it.each([
    ['p95 response time under 300 ms', [[0, 12]]],
    ['p95 response time during hold under 300 ms', [[3, 7]]],
    ['p95 response time during rise, hold under 300 ms', [[0, 7]]],
    [
      'p95 response time during hold, peak under 300 ms',
      [
        [3, 7],
        [9, 12],
      ],
    ],
  ])('of "%s" lies over the phases that it covers, joined where they meet', (gate, expected) => {
    expect(spans(gate)).toEqual(expected)
  })

  it('says of its sentence what the chart does not show anyway', () => {
    const [all, one] = limitLines([
      'p95 response time during hold under 300 ms',
      'median response time of "search" in journey "look around" at most 90 ms',
    ])

    expect(all?.label).toBe('p95 under 300 ms')
    expect(one?.label).toBe('median of "search" in journey "look around" at most 90 ms')
  })

  it('is one for all the gates of a sentence of each step, with the value that is nearer to a breach', () => {
    const [limitLine, ...others] = limitLines(
      ['max response time of each step under 300 ms'],
      [undefined, undefined, undefined, 120, 340, 90],
    )

    expect(others).toEqual([])
    expect(limitLine).toMatchObject({ isBreached: true, limit: 300, isUpper: true })
    expect(limitLine?.values.slice(3, 6).map((value) => Math.round(value ?? NaN))).toEqual([120, 340, 90])
    expect(limitLine?.values[0]).toBeNull()
  })

  it('stands in the lane of what it measures; of a share it follows what ended in each second', () => {
    const [failed, passed, arrivals, ...others] = limitLines(
      [
        'failed requests at most 10 %',
        'throughput at least 1/s',
        'arrival rate at least 2/s',
        'p95 response time at most 110 % of baseline or 50 ms',
        'failed requests of "search" at most 1 %',
        'failed requests at most 5',
      ],
      [90, undefined, 80],
    )

    expect(others).toEqual([])
    expect(failed).toMatchObject({ lane: 'failures', limit: [1, 0, 1], values: [0, 0, 0], label: 'at most 10 %' })
    expect([passed?.lane, passed?.limit, passed?.isUpper]).toEqual(['throughput', 1, false])
    expect([arrivals?.lane, arrivals?.limit]).toEqual(['load', 2])
  })

  it('knows a limit that values must stay above', () => {
    expect(limitLines(['median response time over 5 ms'])[0]).toMatchObject({ isUpper: false, limit: 5 })
  })
})
