// Generators elsewhere: the same load as by threads of this process, whatever their number and places.
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { fleetGenerators, type Fleet } from '@jolt-gate/engine'
import { TestFleet, VERSION } from './fleet.js'
import { runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
let fleet: TestFleet
let coordinator: Fleet

beforeAll(async () => {
  server = await startTrueServer((_, response) => {
    response.end('{"ok":true}')
  })
  fleet = await TestFleet.start(['north/a', 'north/b', 'north/c', 'south/d', 'south/e'])
  for (const name of ['a', 'b', 'c', 'd', 'e']) await fleet.join(name)
  coordinator = await fleet.coordinator()
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
async function runByFleet(parts: string, generators: number, places?: Record<string, number>, extra = {}) {
  const asked = { fleet: coordinator, present: await coordinator.present(), version: VERSION }
  const wanted = { places, generators }
  return runPlan(server.origin, parts, {
    ...{ id: `fleet-${String(++runs)}`, generators: fleetGenerators({ ...asked, wanted }) },
    ...extra,
  })
}

describe('a fleet', () => {
  it('makes the load of one, arrival for arrival', async () => {
    const parts = `values: { id: { uuid: v4 } }
journeys:
  a:
    weight: 2
    steps:
      - send: POST /a
        text: "a {id}"
  b:
    weight: 1
    steps:
      - send: POST /b
        text: "b {id}"
load:
  - { phase: p, rate: 30/s, for: 2s }
`
    const one = await runPlan(server.origin, parts, { senders: 1 })
    const bodies = server.bodies.toSorted()
    server.bodies.length = 0
    const many = await runByFleet(parts, 3, { north: 3, south: 1 })

    expect(many.judgement).toMatchObject({ verdict: 'open' })
    expect(one.judgement).toMatchObject({ verdict: 'open' })
    expect(server.bodies.toSorted()).toEqual(bodies)
    console.log(JSON.stringify(many.result.generator, null, 1), many.result.totals)
  })
})
