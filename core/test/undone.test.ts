// What iterations did not do: cut off, unfinished, never reached, not in the run.
import { describe, expect, it } from 'vitest'
import {
  emptyBucket,
  emptyScope,
  emptyStep,
  gatesOf,
  judge,
  NO_DOUBTS,
  previewOf,
  RunView,
  shapeOf,
  type Judgement,
  type ScopeCell,
} from '../src/index.js'
import { distributionOf } from './buckets.js'
import { planText, read } from './reading.js'

interface Walked extends Partial<Omit<ScopeCell, 'time' | 'unfinishedTime'>> {
  /** How long each iteration took that finished, and lasted that did not. */
  ms?: number[]
  lastedMs?: number[]
}

const TWO_STEPS = `  look:
    steps:
      - send: GET /a
        name: a
      - send: GET /b
        name: b`

/** A run of a plan of which only journeys and reached steps are told. */
function judged(
  walked: Walked[],
  reached: [journey: number, step: number][],
  { journeys = TWO_STEPS, load, gates = '  []', top = '' }: Parameters<typeof planText>[0] = {},
): Judgement {
  const { plan, problems } = read(planText({ journeys, gates, top, ...(load === undefined ? {} : { load }) }))
  if (problems.length > 0) throw new Error(problems[0]?.message)
  const shape = shapeOf(plan, previewOf(plan).phases)
  const bucket = emptyBucket(0)
  for (const [journey, step] of reached)
    bucket.steps.push({ ...emptyStep(0, 0, step, journey), requests: 100, responseTime: distributionOf([10]) })
  for (const [journey, { ms = [], lastedMs = [], ...counts }] of walked.entries())
    bucket.journeys.push({
      ...emptyScope(0, journey, journey),
      ...{ started: 1, finished: ms.length, unfinished: lastedMs.length, ...counts },
      ...{ time: distributionOf(ms), unfinishedTime: distributionOf(lastedMs) },
    })
  const view = new RunView({ gates: gatesOf(plan), shape })
  view.add({ kind: 'bucket', bucket })
  view.add({ kind: 'end' })
  const { recording } = view
  return judge({
    ending: { kind: 'finished' },
    doubts: NO_DOUBTS,
    results: view.gates(),
    recording,
    shape,
    strict: plan.strict,
  })
}

const BOTH: [number, number][] = [
  [0, 0],
  [0, 1],
]
const many = (value: number, times: number) => new Array<number>(times).fill(value)
/** So that nothing but the rule under test decides. */
const ALLOWED = '  - failed journeys at most 99 %\n  - failed requests at most 99 %'

describe('an iteration', () => {
  it('that is cut off with a request open has failed', () => {
    expect(judged([{ ms: many(100, 98), cutOff: 2 }], BOTH).reasons).toEqual([
      'breached: failed journeys at most 1 % (observed 2.00 %)',
    ])
  })

  it('that is cut off in a wait is in no denominator, unless it had lasted twice as long as the slowest', () => {
    expect(judged([{ ms: many(100, 98), lastedMs: many(99, 40) }], BOTH).verdict).toBe('open')
    expect(judged([{ ms: many(100, 98), lastedMs: many(201, 2) }], BOTH).reasons).toEqual([
      'breached: failed journeys at most 1 % (observed 2.00 %)',
    ])
  })

  it('that had as long as the slowest and did not finish leaves failed journeys undecided, but for one or two', () => {
    expect(judged([{ ms: many(100, 98), lastedMs: many(150, 2) }], BOTH).verdict).toBe('open')
    expect(judged([{ ms: many(100, 298), lastedMs: many(150, 3) }], BOTH).verdict).toBe('open')
    expect(judged([{ ms: many(100, 98), lastedMs: many(150, 3) }], BOTH)).toMatchObject({
      verdict: 'void',
      isOpenQuestion: true,
      reasons: [expect.stringContaining('3 journeys that had as long as the slowest one did not finish') as string],
    })
  })
})

describe('a journey', () => {
  it('of which three iterations ended and none without failure is shut, whatever its gates allow', () => {
    const options = { gates: ALLOWED.replaceAll('99', '100') }

    expect(judged([{ endedFailed: 3, byRequests: 3 }], BOTH, options)).toMatchObject({
      verdict: 'shut',
      reasons: ['no iteration of journey "look" was without failure: all 3 failed'],
    })
    expect(judged([{ endedFailed: 2, byRequests: 2 }], BOTH, options).verdict).toBe('void')
    expect(judged([{ endedFailed: 5, local: 5 }], BOTH, options)).toMatchObject({ verdict: 'void' })
    expect(judged([{ endedFailed: 5, local: 2 }], BOTH, options)).toMatchObject({ verdict: 'shut' })
  })

  it('of which no iteration finished is void, and says what to do', () => {
    expect(judged([{ started: 20, lastedMs: many(5000, 20) }], BOTH).reasons).toEqual([
      'no iteration of journey "look" finished (20 started; 20 were cut off in a wait or an open connection): lengthen the drain, or write repeat: { until: load ends }',
    ])
  })

  it('whose connections stay open when all is done is as it should be', () => {
    expect(judged([{ started: 20, lastedMs: many(5000, 20), staying: 20 }], BOTH).verdict).toBe('open')
    expect(judged([{ started: 20, lastedMs: many(5000, 20), staying: 19 }], BOTH).verdict).toBe('void')
    expect(judged([{ started: 20, lastedMs: many(5000, 20), staying: 20 }], [[0, 0]]).verdict).toBe('void')
  })

  const two = `${TWO_STEPS}\n  rare:\n    weight: 1\n    steps:\n      - send: GET /c\n        name: c`.replace(
    '  look:\n',
    '  look:\n    weight: 99\n',
  )

  it('of weight 1 beside 99 in fifty arrivals is not in the run: noted, and void where the plan is strict', () => {
    const load = '  - { phase: peak, rate: 5/s, for: 9s }'
    const note = 'journey "rare" is not in this run: none of its arrivals was due in a measured phase'

    const judgement = judged([{ ms: many(100, 45) }], BOTH, { journeys: two, load })

    expect(judgement).toMatchObject({ verdict: 'open', notes: [note] })
    const strict = judged([{ ms: many(100, 45) }], BOTH, { journeys: two, load, top: 'strict: yes\n' })
    expect([strict.verdict, strict.reasons]).toEqual(['void', expect.arrayContaining([`strict: ${note}`])])
    expect(previewOf(read(planText({ journeys: two, load })).plan).warnings.map(({ message }) => message)).toContain(
      'the journey "rare" is not in this run: no arrival of it is due in a measured phase',
    )
  })

  it('whose arrivals were due and none was started is void', () => {
    expect(
      judged([{ ms: many(100, 95) }], BOTH, { journeys: two, load: '  - { phase: peak, rate: 20/s, for: 10s }' })
        .reasons,
    ).toEqual(['no arrival of journey "rare" was started'])
  })
})

describe('a step', () => {
  const withPick = (more: string) => `  look:\n    steps:\n      - send: GET /a\n        name: a\n${more}`
  const only: [number, number][] = [[0, 0]]
  const load = '  - { phase: peak, rate: 5/s, for: 20s }'

  it('that no iteration came to makes the run void', () => {
    expect(judged([{ ms: many(100, 100), started: 100 }], only).reasons).toEqual([
      '"b" of journey "look" was never reached',
    ])
  })

  it('that may be skipped does not', () => {
    const journeys = withPick('      - send: GET /b\n        name: b\n        may be skipped: yes')

    expect(judged([{ ms: many(100, 100) }], only, { journeys })).toMatchObject({
      verdict: 'open',
      notes: ['"b" of journey "look" was never reached'],
    })
  })

  it('under a condition or in a pick is noted; a branch that was to be expected five times is a doubt', () => {
    const when = withPick('      - when: status is 500\n        steps:\n          - send: GET /b\n            name: b')
    const pick = withPick(
      '      - pick:\n          - weight: 19\n            steps:\n              - wait: 1ms\n          - steps:\n              - send: GET /b\n                name: b',
    )
    const strict = { load, top: 'strict: yes\n' }

    for (const journeys of [when, pick])
      expect(judged([{ ms: many(100, 100), started: 100 }], only, { journeys, load })).toMatchObject({
        verdict: 'open',
        notes: ['"b" of journey "look" was never reached'],
      })
    const doubts = (journeys: string, started: number) =>
      judged([{ ms: many(100, started), started }], only, { journeys, ...strict }).reasons.filter(
        (reason) => !reason.includes('borderline'),
      )
    expect(doubts(pick, 100)).toEqual(['strict: "b" of journey "look" was never reached'])
    expect([doubts(pick, 99), doubts(when, 100)]).toEqual([[], []])
  })
})

describe('the default limit of failed journeys', () => {
  it('leaves out what requests alone failed, where the plan limits those', () => {
    const failed = { ms: many(100, 95), endedFailed: 5, byRequests: 5 }

    expect(judged([failed], BOTH).verdict).toBe('shut')
    expect(judged([failed], BOTH, { gates: '  - failed requests at most 5 %' }).verdict).toBe('open')
    expect(judged([{ ...failed, byRequests: 3 }], BOTH, { gates: '  - failed requests at most 5 %' }).reasons).toEqual([
      'breached: failed journeys at most 1 % (observed 2.06 %)',
    ])
  })
})
