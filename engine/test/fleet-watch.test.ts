// Who is in a fleet, as it is seen by whoever looks: from the bus, with generators that come, go, and fall silent.
import { afterAll, beforeAll, expect, it } from 'vitest'
import { FleetWatch, type FleetSeen } from '@jolt-gate/engine'
import { connectBus } from '../src/fleet/bus.js'
import { renewRow } from '../src/fleet/roster.js'
import { inboxOf } from '../src/fleet/subjects.js'
import { TestFleet, VERSION } from './fleet.js'

let fleet: TestFleet
let watch: FleetWatch

beforeAll(async () => {
  fleet = await TestFleet.start(['north/lk1', 'south/lk2', 'south/lk3'])
  watch = new FleetWatch(fleet.address, fleet.coordinatorKey())
})
afterAll(async () => {
  await watch.close()
  await fleet.stop()
})

const joined = (seen: FleetSeen) => (seen.state === 'joined' ? seen : { generators: [], news: [] })
const ids = () => joined(watch.seen()).generators.map(({ id, state }) => `${id} ${state}`)
const news = () => joined(watch.seen()).news.map(({ generator, what }) => `${generator} ${what}`)
const SLOW = { timeout: 20_000 }

it('tells who is there with a clock that is met, who came, left, and was started anew', async () => {
  await fleet.join('lk1')
  expect(watch.seen()).toEqual({ state: 'joining' })
  watch.start()
  await expect.poll(ids, SLOW).toEqual(['north/lk1 here'])
  await expect.poll(() => joined(watch.seen()).generators[0]?.clockErrorMs, SLOW).toBeGreaterThan(0)
  expect(joined(watch.seen()).generators[0]).toMatchObject({ place: 'north', version: VERSION, run: null, now: null })
  // Who was there before it looked is no news.
  await expect.poll(() => joined(watch.seen()).generators[0]?.busy.length, SLOW).toBeGreaterThan(3)
  expect(news()).toEqual([])

  const second = await fleet.join('lk2')
  await expect.poll(news, SLOW).toEqual(['south/lk2 joined'])
  await second.close()
  await expect.poll(news, SLOW).toEqual(['south/lk2 left', 'south/lk2 joined'])
  expect(ids()).toEqual(['north/lk1 here'])
  // Neither what its words are sealed to nor its session is for those who look.
  expect(Object.keys(joined(watch.seen()).generators[0] ?? {})).not.toContain('key')
})

it('shows one that falls silent, as lost after ten seconds, and when it came back', async () => {
  const { seed, authority } = fleet.keyOf('lk3')
  const bus = await connectBus({ address: fleet.address, seed, authority, inbox: inboxOf('south/lk3'), name: 'lk3' })
  const own = { version: VERSION, session: 's', key: 'k', cores: 2, threads: 1, mostPerSecond: 900 }
  const now = { requests: 12, busy: 0.4, latenessMs: 0.3, steal: 0 }
  const renew = () => {
    renewRow(bus, 'south/lk3', { ...own, allowsLoopback: true, run: 'a-run', now })
  }
  renew()
  await expect.poll(ids, SLOW).toContain('south/lk3 silent')
  await expect.poll(ids, SLOW).toContain('south/lk3 lost')
  await expect.poll(() => news()[0], SLOW).toBe('south/lk3 was lost')
  // It is silent in the picture of the last minute, too.
  const silent = joined(watch.seen()).generators.find(({ id }) => id === 'south/lk3')
  expect(silent).toMatchObject({ now, run: 'a-run', mostPerSecond: 900, clockErrorMs: null })
  expect(silent?.busy).toEqual(expect.arrayContaining([0.4, null]))
  renew()
  await expect.poll(() => news()[0], SLOW).toBe('south/lk3 came back')
  const [back] = joined(watch.seen()).news
  expect(back?.silentMs).toBeGreaterThan(9000)
  // A key that was stolen writes figures that no page could show: the row is not taken.
  renewRow(bus, 'south/lk3', { ...own, allowsLoopback: true, run: 'a-run', now: { ...now, busy: 1e300 } })
  await bus.flush()
  expect(joined(watch.seen()).generators.find(({ id }) => id === 'south/lk3')?.now).toEqual(now)
  await bus.close()
})

it('says that the bus is away, and goes on when it is back', async () => {
  await fleet.killBus()
  await expect.poll(() => watch.seen().state, SLOW).toBe('away')
  await fleet.startBus()
  await expect.poll(ids, SLOW).toContain('north/lk1 here')
})
