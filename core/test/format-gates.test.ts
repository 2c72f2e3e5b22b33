// What the plan format says of gates and targets: each part is read, and each wrong part is told with its place.
import { describe, expect, it } from 'vitest'
import { readTarget, type Plan } from '../src/index.js'
import { firstProblem, planText, read, WITH_QUEUE } from './reading.js'

function right(text: string, files: Record<string, string> = {}): Plan {
  const { plan, problems } = read(text, files)
  expect(problems).toEqual([])
  return plan
}
describe('gates', () => {
  const gatesOf = (gate: string, journeys?: string) =>
    right(
      planText({ target: 'harbour', gates: `  - ${gate}`, ...(journeys === undefined ? {} : { journeys }) }),
      WITH_QUEUE,
    ).gates

  it.each([
    'p90 time to first byte under 1 s',
    'max connect time of "search" under 1 s',
    'mean journey time in journey "look around" at most 10 s',
    'failed journeys at most 1 %',
    'capped arrivals at most 5',
    'cut off at most 0.5 %',
    'arrival rate at least 4/s',
    'bytes received of "search" over 1 kB/s',
    'bytes sent under 2 MB/s',
    'apdex at 300 ms of "search" at least 0.9',
    'p99 start lag under 5 ms',
    'mean generator busy under 80 %',
    'max event loop delay under 50 ms',
    'max metric "queue" under 12',
    'p95 response time at most 110 % of baseline or 50 ms',
    'failed requests at most 150 % of baseline',
  ])('measure %s', (gate) => {
    expect(gatesOf(gate)).toHaveLength(1)
  })

  it('of each step are one for every step, and of groups for every group', () => {
    const journeys =
      '  a:\n    steps:\n      - group: both\n        steps:\n          - send: GET /a\n          - send: GET /b'

    expect(gatesOf('p95 response time of each step under 1 s', journeys).map(({ rule }) => rule)).toEqual([
      'p95 response time of "GET /a" under 1 s',
      'p95 response time of "GET /b" under 1 s',
    ])
    expect(gatesOf('max group time of each step under 1 s', journeys).map(({ of }) => of)).toEqual([
      { kind: 'names', names: ['both'] },
    ])
  })

  it.each([
    ['after 1 breached second', { kind: 'in all', seconds: 1 }],
    ['after 10 breached seconds in a row', { kind: 'in a row', seconds: 10 }],
    ['after 30 breached seconds', { kind: 'in all', seconds: 30 }],
  ])('stop the run %s', (stop, rule) => {
    expect(gatesOf(`rule: failed requests at most 25 %\n    stop: ${stop}`)).toMatchObject([{ stop: rule }])
  })

  it.each([
    [
      'a stop on a baseline',
      'rule: failed requests at most 110 % of baseline\n    stop: after 1 breached second',
      'STOP',
    ],
    ['a stop on a lower count', 'rule: requests at least 5\n    stop: after 1 breached second', 'STOP'],
    ['a step of what has none', 'capped arrivals of "search" at most 5', 'SCOPE'],
    ['a journey of what has none', 'p99 start lag in journey "look around" under 5 ms', 'SCOPE'],
    ['a journey that is not there', 'failed journeys in journey "look" at most 1', 'UNKNOWN_NAME'],
    ['a time for bytes', 'bytes sent under 3 s', 'UNIT'],
    ['an impact without a way to tell it', 'impact at most strained', 'SATISFIED'],
    ['an impact from below, which any grade would hold', 'impact at least steady', 'UNIT'],
    ['an impact that is a number', 'impact at most 2', 'UNIT'],
    ['a grade of a time', 'p95 response time under steady', 'UNIT'],
    ['a recovery of some phases', 'recovery after "peak" during peak under 5 s', 'SCOPE'],
    ['a recovery after what is no phase', 'recovery after "peek" under 5 s', 'UNKNOWN_NAME'],
    ['a stop on recovery', 'rule: recovery after "peak" under 5 s\n    stop: after 1 breached second', 'STOP'],
    ['a metric without a statistic', 'metric "queue" under 3', 'STATISTIC'],
  ])('refuse %s', (_, gate, code) => {
    expect(firstProblem(planText({ gates: `  - ${gate}` })).code).toBe(code)
  })
})

describe('a target', () => {
  it('tells its metrics, TLS, proxy, local address and permission', () => {
    const text = `origin: https://127.0.0.1:7710
also: [http://127.0.0.1:7711]
metrics:
  queue: { url: /metrics, family: ferries_queue_length, ceiling: 40 }
  hits: { url: "http://127.0.0.1:7711/metrics", family: cache_hits, as: ratio of cache_reads, unit: share, labels: { pool: a } }
tls: { ca: tls/ca.pem, verify: no }
proxy: http://127.0.0.1:3128
local address: 127.0.0.2
permission: { by: the harbour master, rate: 50/s, hours: 22:00 to 05:00, until: 2027-01-01 }
`
    const { target, problems } = readTarget('targets/h.target.yaml', text, (path) =>
      path === 'tls/ca.pem' ? 'PEM' : undefined,
    )

    expect(problems).toEqual([])
    expect(target).toMatchObject({
      metrics: [
        { name: 'queue', as: { kind: 'by type' }, ceiling: 40 },
        { name: 'hits', as: { kind: 'ratio', of: 'cache_reads' }, labels: { pool: 'a' } },
      ],
      tls: { ca: 'PEM', verify: false },
      proxy: 'http://127.0.0.1:3128',
      localAddress: '127.0.0.2',
      permission: { by: 'the harbour master', ratePerSecond: 50 },
    })
  })
})
