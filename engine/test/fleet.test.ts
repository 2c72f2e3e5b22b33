// Generators elsewhere: the same load as by threads of this process, whatever their number and places.
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { fleetGenerators, type Fleet, type RunOutcome } from '@jolt-gate/engine'
import { TestFleet, VERSION } from './fleet.js'
import { begin, runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
let fleet: TestFleet
let coordinator: Fleet

beforeAll(async () => {
  server = await startTrueServer((_, response) => {
    response.end('{"token":"grey-gull-9"}')
  })
  fleet = await TestFleet.start(['north/a', 'north/b', 'north/c', 'south/d', 'south/e'])
  for (const name of ['a', 'b', 'c', 'd', 'e']) await fleet.join(name)
  coordinator = await fleet.coordinator()
  await coordinator.present()
})
beforeEach(() => {
  server.arrivals.clear()
  server.bodies.length = 0
})
afterAll(async () => {
  await coordinator.close()
  await fleet.stop()
  await server.stop()
})

let runs = 0
const free = () => coordinator.roster.present().filter(({ run }) => run === null)
async function runByFleet(parts: string, generators?: number, extra = {}) {
  await expect.poll(() => free().length, { timeout: 10_000 }).toBe(5)
  const asked = { fleet: coordinator, present: free(), version: VERSION, generators }
  return runPlan(server.origin, parts, {
    id: `fleet-${String(++runs)}`,
    generators: fleetGenerators(() => asked),
    ...extra,
  })
}

/** Nothing was lost; a host that is busy may leave gates undecided, which is told apart elsewhere. */
function expectWhole({ judgement }: RunOutcome): void {
  expect(judgement.reasons.filter((reason) => !/processor in|^undecided: /.test(reason))).toEqual([])
}

const POST = (name: string) => `
      - send: POST /${name}
        text: "${name} {id}"`
const TWO = `journeys:
  a:
    weight: 2
    steps:${POST('a')}
  b:
    steps:${POST('b')}
`
const IDS = 'values: { id: { uuid: v4 } }\n'

describe('a fleet', () => {
  it.each([
    [1, '', `${TWO}load:\n  - { phase: p, rate: 30/s, for: 2s, spacing: random }\n`],
    [2, '', `mix: drawn\n${TWO}load:\n  - { phase: p, rate: 10/s to 50/s, for: 2s }\n`],
    [
      3,
      'places: { north: 3, south: 1 }\n',
      `${TWO}load:\n  - { phase: b, starts: 40, for: 1s }\n  - { phase: q, rest: 1s }\n`,
    ],
    [5, 'places: { south: 1, north: 2 }\n', `${TWO}load:\n  - { phase: u, users: 7, iterations: 4 }\n`],
    [
      3,
      'places: { north: 1, south: 1 }\n',
      `journeys:\n  a:\n    load:\n      - { phase: own, rate: 15/s, for: 2s }\n    steps:${POST('a')}\n  b:\n    steps:${POST('b')}\nload:\n  - { phase: p, rate: 10/s, for: 2s }\n`,
    ],
  ])('of %i makes the load of one, request for request', async (generators, places, parts) => {
    const one = await runPlan(server.origin, IDS + parts, { senders: 1 })
    const bodies = server.bodies.toSorted()
    server.bodies.length = 0
    const many = await runByFleet(IDS + places + parts, generators)

    expectWhole(many)
    expect(server.bodies.toSorted()).toEqual(bodies)
    const { totals, generator, phases } = many.result
    expect(totals.requests).toBe(one.result.totals.requests)
    expect(phases.map((phase) => phase.arrivalsStarted)).toEqual(
      one.result.phases.map((phase) => phase.arrivalsStarted),
    )
    expect(generator.fleet).toHaveLength(generators)
    expect(generator.fleet?.reduce((sum, { requests }) => sum + requests, 0)).toBe(totals.requests)
    for (const { clockErrorMs } of generator.fleet ?? []) expect(clockErrorMs).toBeLessThan(50)
  })

  it('takes each row once, whoever asks for it, and none is left over', async () => {
    const files = { 'rows.csv': `name\n${Array.from({ length: 60 }, (_, row) => `row-${String(row)}`).join('\n')}\n` }
    const parts = `data:
  person: { file: rows.csv, take: once each }
journeys:
  a:
    steps:
      - send: POST /a
        text: "{person.name}"
load:
  - { phase: u, users: 6, iterations: 10 }
`
    expectWhole(await runByFleet(parts, 3, { files }))

    expect(server.bodies).toHaveLength(60)
    expect(new Set(server.bodies).size).toBe(60)
  })

  it('walks setup once, takes what it kept to every generator, sealed, and tears down', async () => {
    const parts = `setup:
  - send: POST /setup
    text: setup
    keep: { token: json $.token }
journeys:
  a:
    steps:
      - send: POST /a
        text: "{token}"
teardown:
  - send: POST /teardown
    text: "down {token}"
load:
  - { phase: p, rate: 20/s, for: 1s }
`
    const outcome = await runByFleet(parts, 3)

    expectWhole(outcome)
    expect(server.bodies.filter((body) => body === 'setup')).toHaveLength(1)
    expect(server.bodies.filter((body) => body === 'grey-gull-9')).toHaveLength(20)
    expect(server.bodies.filter((body) => body === 'down grey-gull-9')).toHaveLength(1)
    expect(outcome.result).toMatchObject({ setup: [{ passed: true }], teardown: [{ passed: true }] })
  })

  it('judges each place by what was made there', async () => {
    const gates = [
      'median response time from place "north" at most 2 s',
      'throughput from place "south" at least 1/s',
      'throughput from place "north" at least 20/s',
      'failed requests at most 1 %',
    ]
    const parts = `places: { north: 3, south: 1 }\n${TWO.replaceAll(/ \{id\}/g, '')}load:\n  - { phase: p, rate: 20/s, for: 2s }\ngates:\n${gates.map((gate) => `  - ${gate}\n`).join('')}`
    const { result } = await runByFleet(parts)

    expect(result.gates.map(({ rule, status }) => [rule, status])).toMatchObject([
      [gates[0], 'held'],
      [gates[1], 'held'],
      // 15/s are made there.
      [gates[2], 'breached'],
      [gates[3], 'held'],
      [expect.stringMatching(/^failed journeys/), 'held'],
    ])
    // Each journey is dealt by itself, to within one.
    const samples = result.gates.map((gate) => gate.samples)
    expect(Math.abs((samples[0] ?? 0) - 30)).toBeLessThanOrEqual(2)
    expect((samples[0] ?? 0) + (samples[1] ?? 0)).toBe(40)
    expect(result.verdict).toBe('shut')
  })

  it('that lacks a place, or enough generators, makes no load at all', async () => {
    const load = `${TWO.replaceAll(/ \{id\}/g, '')}load:\n  - { phase: p, rate: 20/s, for: 1s }\n`
    const east = await runByFleet(`places: { east: 1 }\n${load}`)
    const many = await runByFleet(load, 9)
    const capped = await runByFleet(`cap: 2 users\n${load}`, 5)
    const nowhere = await runPlan(server.origin, `places: { north: 1 }\n${load}`)

    for (const { judgement } of [east, many, capped, nowhere])
      expect(judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
    expect(east.judgement.reasons).toEqual(['fleet: no generator is free in east'])
    expect(many.judgement.reasons).toEqual(['fleet: 9 generators are asked for, and 5 are free'])
    expect(capped.judgement.reasons[0]).toMatch(/a cap of 2 users cannot be dealt to 5 generators/)
    expect(nowhere.judgement.reasons[0]).toMatch(/from north: that needs a fleet/)
    expect(server.bodies).toHaveLength(0)
  })

  it('is stopped at any moment: while it is asked, and while its load lasts; then it is free', async () => {
    const load = `${TWO.replaceAll(/ \{id\}/g, '')}load:\n  - { phase: p, rate: 20/s, for: 60s }\n`
    for (const afterMs of [0, 30, 150, 2500]) {
      // What a generator is about stands in its row a moment later.
      await coordinator.present()
      await expect.poll(() => free().length, { timeout: 20_000 }).toBe(5)
      const asked = { fleet: coordinator, present: free(), version: VERSION }
      const handle = begin(server.origin, load, {
        ...{ id: `fleet-${String(++runs)}`, generators: fleetGenerators(() => asked) },
      })
      setTimeout(() => {
        handle.stop('a person')
      }, afterMs)
      expect((await handle.done).judgement).toMatchObject({ verdict: 'stopped', exitCode: 4 })
    }
    const before = server.bodies.length
    await expect.poll(() => free().length, { timeout: 20_000 }).toBe(5)
    expect(server.bodies).toHaveLength(before)
  })
  it('has one coordinator for a run: who takes it over has it, and the one before, which still believes, is void', async () => {
    await expect.poll(() => free().length, { timeout: 20_000 }).toBe(5)
    const load = (seconds: number) => `${TWO}load:\n  - { phase: p, rate: 20/s, for: ${String(seconds)}s }\n`
    const id = `fleet-${String(++runs)}`
    const asked = { fleet: coordinator, present: free(), version: VERSION }
    const first = begin(server.origin, IDS + load(60), { id, generators: fleetGenerators(() => asked) })
    await expect.poll(() => server.bodies.length, { timeout: 30_000 }).toBeGreaterThan(10)

    const later = await fleet.coordinator()
    const present = (await later.present()).filter(({ run }) => run === id)
    expect(present).toHaveLength(5)
    const taken = { fleet: later, present, version: VERSION }
    const second = begin(server.origin, IDS + load(3), { id, generators: fleetGenerators(() => taken) })

    const { judgement } = await first.done
    expect(judgement).toMatchObject({ verdict: 'void', lacksGenerators: true })
    expect(judgement.reasons.join()).toMatch(/another coordinator has taken the run|it makes no part of run/)
    const outcome = await second.done
    await later.close()
    expectWhole(outcome)
    expect(outcome.result.totals.requests).toBe(60)
  })
})
