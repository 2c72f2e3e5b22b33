// What a plan's author is told before a run.
import { describe, expect, it } from 'vitest'
import { gatesOf, previewOf } from '../src/index.js'
import { firstProblem, planText, read } from './reading.js'

const warningsOf = (parts: Parameters<typeof planText>[0]): string[] => {
  const { plan, problems } = read(planText(parts))
  if (problems.length > 0) throw new Error(problems[0]?.message)
  return previewOf(plan).warnings.map(({ message }) => message)
}

describe('a limit', () => {
  it.each([
    ['failed requests at most 200 %', true],
    ['failed requests at most 100 %', true],
    ['failed requests under 100 %', false],
    ['throughput at least 0/s', true],
    ['apdex at 300 ms at least 0', true],
    ['max generator busy under 101 %', true],
    ['failed requests at most 99 %', false],
    ['throughput over 0/s', false],
  ])('that cannot be missed is warned of: %s %s', (gate, isWarned) => {
    expect(warningsOf({ gates: `  - ${gate}` }).includes('this limit cannot be missed: the gate decides nothing')).toBe(
      isWarned,
    )
  })
})

describe('a limit on throughput', () => {
  // Of ten requests a second that take a second each, 290 end within thirty seconds: 9.67/s.
  const words =
    'throughput counts requests that end, and none does in the first moments of this load: begin with a phase of warm-up (measure: no)'
  const hold = '  - { phase: hold, rate: 10/s, for: 30s }'

  it.each([
    ['near the rate of the load', hold, '9.9/s', true],
    ['with room', hold, '8/s', false],
    ['after a warm-up', `  - { phase: warm, rate: 10/s, for: 10s, measure: no }\n${hold}`, '9.9/s', false],
    ['after a rest', `  - { phase: pause, rest: 10s }\n${hold}`, '9.9/s', true],
    ['of users who come again', '  - { phase: hold, users: 10, for: 30s }', '9.9/s', false],
  ])('is warned of where the load begins with it: %s', (_, load, limit, isWarned) => {
    expect(warningsOf({ load, gates: `  - throughput at least ${limit}` }).includes(words)).toBe(isWarned)
  })
})

describe('a drain', () => {
  it('is warned of where it is shorter than a wait or a time limit', () => {
    const journeys = '  a:\n    steps:\n      - send: GET /a\n        timeout: 2s\n      - wait: 1s to 5s'

    expect(warningsOf({ journeys, top: 'drain: 3s\n' })).toEqual([
      'the drain (3 s) is shorter than the longest wait (5 s): what is under way when the load ends may be cut off',
    ])
    expect(warningsOf({ journeys, top: 'drain: 5s\n' })).toEqual([])
    expect(warningsOf({ top: 'drain: 10s\n' })).toEqual([
      'the drain (10 s) is shorter than the longest time limit of a request (30 s): what is under way when the load ends may be cut off',
    ])
  })
})

describe('steps of one name', () => {
  it('in two journeys are warned of: one may fail unseen among the others', () => {
    const journey = (name: string) => `  ${name}:\n    steps:\n      - send: GET /a\n        name: search`

    expect(warningsOf({ journeys: `${journey('one')}\n${journey('two')}` })).toEqual([
      'a step of one name in several journeys ("search"): their samples count together; give them names of their own, or say in journey "one" in a gate',
    ])
  })
})

describe('a keep', () => {
  const journeys = (path: string, keep: string) =>
    `  a:\n    steps:\n      - send: GET /a\n        keep: { from: '${keep}' }\n      - send: GET ${path}`

  it('that only a query needs is offered or "", since null and an empty text are nothing', () => {
    expect(warningsOf({ journeys: journeys('/b{?from,day}\n        with: { day: "1" }', 'json $.from') })).toEqual([
      'where "from" is not found the iteration ends; only a query needs it: to go on without it, add or ""',
    ])
    expect(warningsOf({ journeys: journeys('/b{?from}', 'json $.from or ""') })).toEqual([])
    expect(warningsOf({ journeys: journeys('/b/{from}{?from}', 'json $.from') })).toEqual([])
  })
})

describe('a strict plan', () => {
  it('is told of how many samples an interval has two ends', () => {
    // The two-sided 95 % interval of p95 has an upper end once 0.95^n is at most 0.025 (Conover): n = 72 to 73.
    const load = '  - { phase: peak, rate: 6/s, for: 10s }'
    const gates = '  - p95 response time under 300 ms'

    expect(warningsOf({ load, gates })).toEqual([])
    expect(warningsOf({ load, gates, top: 'strict: yes\n' })[0]).toMatch(
      /^strict: p95 needs about \d{3} samples to be sure of its side, and this load makes about 60/,
    )
  })
})

describe('a gate on a metric', () => {
  it('that the target does not have is an error', () => {
    expect(firstProblem(planText({ gates: '  - max metric "queue" under 5' }))).toMatchObject({
      code: 'UNKNOWN_METRIC',
      message: 'the target http://127.0.0.1:7710 has no metric "queue". Add it to metrics in the target file',
    })
  })
})

describe('the default gates', () => {
  const both = `  j:\n    steps:\n      - send: GET /a\n        name: a\n  k:\n    steps:\n      - send: GET /a\n        name: a\n      - send: GET /b\n        name: b`
  const defaults = (gate: string, journeys?: string) =>
    gatesOf(read(planText({ gates: `  - ${gate}`, ...(journeys === undefined ? {} : { journeys }) })).plan)
      .filter(({ isDefault }) => isDefault)
      .map(({ rule, leavesOutRequests }) => `${rule}${leavesOutRequests ? ', requests left out' : ''}`)

  it('give way to a gate in journey where that journey is all there is', () => {
    expect(defaults('failed requests in journey "look around" at most 5 %')).toEqual([
      'failed journeys at most 1 %, requests left out',
    ])
  })

  it('cover what a gate in one of several journeys does not', () => {
    expect(defaults('failed requests in journey "j" at most 5 %', both)).toEqual([
      'failed requests of "b" at most 1 %',
      'failed requests of "a" in journey "k" at most 1 %',
      'failed journeys in journey "j" at most 1 %, requests left out',
      'failed journeys in journey "k" at most 1 %',
    ])
    expect(defaults('failed requests of "a" at most 5 %', both)).toEqual([
      'failed requests of "b" at most 1 %',
      'failed journeys at most 1 %, requests left out',
    ])
  })
})
