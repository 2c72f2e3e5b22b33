// Faults of what lies between the generators of a fleet and their coordinator: a slow link, one that is cut, a stream
// that is full. The load is not touched by any of them; what fits is not lost, and what is lost makes the run void.
import { jetstreamManager, DiscardPolicy, RetentionPolicy, StorageType } from '@nats-io/jetstream'
import { afterAll, afterEach, beforeAll, beforeEach, expect, it } from 'vitest'
import { Fleet, fleetGenerators, type RunOutcome } from '@jolt-gate/engine'
import { connectBus } from '../src/fleet/bus.js'
import { STREAM, STREAM_SUBJECTS } from '../src/fleet/subjects.js'
import { TestFleet, VERSION } from './fleet.js'
import { Link } from './link.js'
import { begin } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

const [RATE, STEPS, SECONDS] = [8, 12, 6]
const LONG_MS = 120_000
let server: TrueServer
let fleet: TestFleet
let coordinator: Fleet
let link: Link
let runs = 0

beforeAll(async () => {
  server = await startTrueServer((_, response) => response.end('{}'))
  fleet = await TestFleet.start(['north/near', 'south/far'])
})
beforeEach(() => {
  server.bodies.length = 0
})
afterEach(async () => {
  await fleet.leave()
  await coordinator.close()
  await link.stop()
})
afterAll(async () => {
  await fleet.stop()
  await server.stop()
})

const PLAN = `places: { north: 1, south: 1 }
drain: 2s
journeys:
  a:
    steps:${Array.from({ length: STEPS }, (_, step) => `\n      - send: POST /\n        name: step ${String(step)}\n        text: x`).join('')}
load:
  - { phase: p, rate: ${String(RATE)}/s, for: ${String(SECONDS)}s }
`
const ALL = RATE * STEPS * SECONDS

/** Runs with one generator behind the link; what is done meanwhile begins when the load does. */
async function run(meanwhile: () => Promise<void> | void = () => undefined, plan = PLAN): Promise<RunOutcome> {
  await fleet.join('near')
  await fleet.join('far', { address: link.address })
  coordinator = await fleet.coordinator()
  const present = await coordinator.present()
  const asked = { fleet: coordinator, present, version: VERSION }
  const id = `fault-${String(++runs)}`
  const handle = begin(server.origin, plan, { id, generators: fleetGenerators(() => asked) })
  await Promise.race([handle.done, expect.poll(() => server.bodies.length, { timeout: 30_000 }).toBeGreaterThan(0)])
  await meanwhile()
  return handle.done
}
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

function expectAll({ judgement, result }: RunOutcome): void {
  expect(judgement.reasons.filter((reason) => !/processor in|^undecided: /.test(reason))).toEqual([])
  expect(server.bodies).toHaveLength(ALL)
  expect(result.totals.requests).toBe(ALL)
  expect(result.generator.fleet?.map(({ requests, lostSeconds }) => [requests, lostSeconds])).toEqual([
    [ALL / 2, 0],
    [ALL / 2, 0],
  ])
}

it(
  'a link slower than what is told: the result waits for it, and is whole',
  async () => {
    link = await Link.to(fleet.port, 6000)
    const beganMs = performance.now()
    expectAll(await run())
    // It was slow indeed.
    expect(performance.now() - beganMs).toBeGreaterThan(1000 * SECONDS)
  },
  LONG_MS,
)

it(
  'a link that is cut for two seconds costs nothing',
  async () => {
    link = await Link.to(fleet.port)
    expectAll(
      await run(async () => {
        link.cut()
        await pause(2000)
        link.mend()
      }),
    )
  },
  LONG_MS,
)

it(
  'a link that is cut for longer than ten seconds makes the run void, and says which generator was lost',
  async () => {
    link = await Link.to(fleet.port)
    const { judgement, result } = await run(async () => {
      link.cut()
      await pause(14_000)
      link.mend()
    })
    expect(judgement).toMatchObject({ verdict: 'void', exitCode: 3, lacksGenerators: true })
    expect(judgement.reasons.join('\n')).toMatch(/generator south\/far was lost: /)
    // What came of the others is kept.
    expect(result.totals.requests).toBeGreaterThan(0)
    expect(result.totals.requests).toBeLessThanOrEqual(server.bodies.length)
  },
  LONG_MS,
)

it(
  'a generator that is lost is missed by the others where the plan says so, which go on at less',
  async () => {
    link = await Link.to(fleet.port)
    const plan = `on loss: continue at less\n${PLAN}`
      .replace('north: 1', 'north: 3')
      .replace(`for: ${String(SECONDS)}s`, 'for: 20s')
    const { judgement, result } = await run(async () => {
      link.cut()
      await pause(14_000)
      link.mend()
    }, plan)
    expect(judgement.reasons.filter((reason) => !/processor in|^undecided: /.test(reason))).toEqual([])
    expect(judgement.notes.join('\n')).toMatch(
      /generator south\/far was lost after \d+ s: nothing was heard of it for 10 s|it does not answer/,
    )
    const [loss] = result.generator.losses ?? []
    expect(loss).toMatchObject({ generator: 'south/far', place: 1 })
    const [missing = 0] = loss?.arrivals ?? []
    // What it made was recorded until it was cut off; nobody is thought to have made the rest.
    expect(missing).toBeGreaterThan(20)
    expect(missing).toBeLessThanOrEqual(40)
    expect(result.totals.arrivalsDue).toBe(20 * RATE - missing)
    expect(result.totals.arrivals).toBe(result.totals.arrivalsDue)
    const [north] = result.places ?? []
    expect(north?.requests).toBe(20 * RATE * STEPS * 0.75)
    expect(result.totals.requests).toBeLessThanOrEqual(server.bodies.length)
  },
  LONG_MS,
)

it(
  'a stream that is full for three seconds: the load is not touched, and nothing is lost',
  async () => {
    link = await Link.to(fleet.port)
    const { seed, authority } = fleet.coordinatorKey()
    const inbox = '_INBOX.coordinator'
    const bus = await connectBus({ address: fleet.address, seed, authority, inbox, name: 'fills' })
    const manager = await jetstreamManager(bus)
    await manager.streams.delete(STREAM).catch(() => undefined)
    const limits = { retention: RetentionPolicy.Workqueue, discard: DiscardPolicy.New, storage: StorageType.File }
    await manager.streams.add({ name: STREAM, subjects: [STREAM_SUBJECTS], max_bytes: 200_000, ...limits })
    const refused: string[] = []
    const outcome = await run(async () => {
      // Seconds of a run that is not there, which nobody takes.
      const junk = new Uint8Array(50_000)
      for (let number = 0; number < 6; number++) {
        const filled = await bus.request(`gate.from.nobody.x/y.bucket.${String(number)}.0.1`, junk, { timeout: 2000 })
        if (filled.string().includes('maximum bytes exceeded')) refused.push('full')
      }
      await pause(3000)
      await manager.streams.purge(STREAM, { filter: 'gate.from.nobody.>' })
    })
    await manager.streams.delete(STREAM)
    await bus.close()
    expect(refused.length).toBeGreaterThan(0)
    expectAll(outcome)
  },
  LONG_MS,
)
