// The most that a service can take, found by the command: a server that serves one request at a time, 10 ms each.
import { readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { join } from 'node:path'
import type { AddressInfo } from 'node:net'
import type { Capacity } from '@jolt-gate/core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { jolt, out, planFile, type Ended } from './command.js'

const SERVICE_MS = 10
/** Trials take their time, and a busy host takes more. */
const LONG_MS = 300_000
let freeAtMs = 0
const server = createServer((_, response) => {
  const now = performance.now()
  freeAtMs = Math.max(now, freeAtMs) + SERVICE_MS
  setTimeout(() => response.end('{}'), freeAtMs - now)
})
const LIMIT = 'p95 response time at most 150 ms'
let plan = ''

beforeAll(async () => {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  plan = capacityPlan('queue', `  - ${LIMIT}\n  - throughput at least 1/s`)
})
afterAll(() => {
  server.closeAllConnections()
  server.close()
})

function capacityPlan(name: string, gates: string): string {
  const origin = `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`
  return planFile(
    `${name}.gate.yaml`,
    `jolt: 1\nname: Queue\ntarget: ${origin}\ndrain: 1s\njourneys:\n  a:\n    steps:\n      - send: GET /\nload:\n  - { phase: p, rate: 1/s, for: 1m }\ngates:\n${gates}\n`,
  )
}

/** On a host that takes the processor away a trial may tell nothing; it never tells what is not so. */
function expectCode({ code, wasHostBusy, stderr }: Ended, expected: number): void {
  expect(wasHostBusy ? [expected, 3] : [expected], stderr).toContain(code)
}

describe('capacity', () => {
  it(
    'decides one load: 0 where it holds, 1 where it does not, and says what gave way',
    async () => {
      const json = join(out, 'capacity.json')
      const holds = await jolt(['capacity', plan, '--at-least', '40/s', '--hold', '5s', '--json', json])
      // Too few requests for a p95; and eighty without a failure may be of a service that fails in one of a hundred.
      const few = await jolt(['capacity', plan, '--at-least', '10/s', '--hold', '1s'])
      const short = await jolt(['capacity', plan, '--at-least', '40/s', '--hold', '1s'])
      const breaks = await jolt(['capacity', plan, '--at-least', '250/s', '--hold', '2s'])

      expectCode(holds, 0)
      expect(holds.stderr).toContain('left out: throughput at least 1/s: the rate is what is searched')
      expect(holds.stdout).toMatch(/^capacity at least 40\/s: it holds$|unknown/m)
      expect(JSON.parse(readFileSync(json, 'utf8'))).toMatchObject({
        plan: { file: plan },
        capacity: { perSecond: holds.code === 0 ? 40 : null },
      })
      expectCode(few, 3)
      expect(few.stdout).toMatch(/told too little: .*p95 response time.*; a longer hold|could not make/)
      expectCode(short, 3)
      expect(short.stdout).toMatch(/told too little of "failed requests at most 1 %": a longer hold|could not make/)
      expectCode(breaks, 1)
      expect(breaks.stdout).toMatch(/^capacity below 250\/s; what gave way: .+$|unknown/m)
    },
    LONG_MS,
  )

  it(
    'searches between two rates, and comes to what one server can take',
    async () => {
      const json = join(out, 'search.json')
      const range = ['--range', '60/s to 240/s', '--hold', '2s', '--exact', '50 %', '--within', '5m']
      const found = await jolt(['capacity', plan, ...range, '--json', json])

      expectCode(found, 0)
      if (found.code !== 0) return
      const { capacity } = JSON.parse(readFileSync(json, 'utf8')) as {
        capacity: { perSecond: number; kind: string; interval: [number, number]; gate: string }
      }
      expect(capacity.kind).toBe('found')
      // A hundred a second are all that it can do; beside the load that the tests make, somewhat less.
      expect(capacity.perSecond).toBeGreaterThan(40)
      expect(capacity.perSecond).toBeLessThan(125)
      expect(found.stdout).toMatch(/^capacity \S+\/s, at 95 % between \S+\/s and \S+\/s; what gave way: /m)
    },
    LONG_MS,
  )

  it(
    'decides a number of users, too: each waits for the service of all others',
    async () => {
      const json = join(out, 'users.json')
      // Of N users each waits for N services of 10 ms.
      const holds = await jolt(['capacity', plan, '--at-least', '4 users', '--hold', '5s', '--json', json])
      const breaks = await jolt(['capacity', plan, '--at-least', '40 users', '--hold', '2s'])

      expectCode(holds, 0)
      const { capacity } = JSON.parse(readFileSync(json, 'utf8')) as { capacity: Capacity & { users: number | null } }
      expect(capacity.users).toBe(holds.code === 0 ? 4 : null)
      for (const { users, load } of capacity.trials) expect(users).toBe(load)
      expectCode(breaks, 1)
      expect(breaks.stdout).toMatch(/^capacity below 40 users; what gave way: p95 response time|unknown/m)
    },
    LONG_MS,
  )

  it.each([
    ['no load', [], /--range: give a range of rates/],
    ['a range upside down', ['--range', '20/s to 10/s'], /the lower first/],
    ['a range of two kinds', ['--range', '20/s to 40 users'], /expected two loads/],
    ['a range of one', ['--range', '20/s'], /expected two loads/],
    ['no rate', ['--at-least', 'much'], /neither a rate/],
    ['two goals', ['--at-least', '3/s', '--users', '1 to 9'], /--at-least: one load is decided alone/],
    ['a share of nothing', ['--range', '1/s to 9/s', '--exact', '0 %'], /from 1 % to 50 %/],
    ['no length', ['--at-least', '3/s', '--hold', 'long'], /--hold/],
  ])('refuses %s, sending nothing', async (_, options, words) => {
    const ended = await jolt(['capacity', plan, ...options])

    expect(ended.code).toBe(2)
    expect(ended.stderr).toMatch(words)
  })

  it('refuses a plan without a limit, and ends where its time is over', async () => {
    const none = await jolt(['capacity', capacityPlan('none', '  - throughput at least 1/s'), '--at-least', '3/s'])
    const late = await jolt(['capacity', plan, '--range', '1/s to 9/s', '--hold', '20s', '--within', '1s'])

    expect(none).toMatchObject({ code: 2 })
    expect(none.stderr).toMatch(/no gate that a load could break/)
    expect(late).toMatchObject({ code: 3 })
    expect(late.stdout).toMatch(/capacity unknown: the time is over: all of it was to take 1 s at most/)
  })
})
