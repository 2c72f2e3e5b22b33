// Runs at the same moment, where a machine may make several.
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { startFerries } from '@jolt-gate/stand-in-ferries'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { RunRow } from '../src/database/models.js'
import { callerOf, PLAN, signedIn, startPlace, type Place } from './place.js'

let place: Place
let second: Awaited<ReturnType<typeof startFerries>>
beforeAll(async () => {
  second = await startFerries()
  place = await startPlace(true, { runsAtOnce: 3 })
})
afterAll(async () => {
  await place.stop()
  await second.stop()
})

describe('the queue', () => {
  it('two runs go against two targets, where the machine may, and never two against one', async () => {
    const asks = callerOf(place.server.origin, await signedIn(place.server.origin))
    writeFileSync(join(place.repository, 'targets/there.target.yaml'), `origin: ${second.origin}\n`)
    // Another name for the same place.
    const port = new URL(place.ferries.origin).port
    writeFileSync(join(place.repository, 'targets/also-here.target.yaml'), `origin: http://localhost:${port}\n`)
    const run = async (target: string) => {
      const { body } = await asks('POST', `${place.project}/runs`, { plan: PLAN, target })
      return (body as { id: string }).id
    }
    const [first, same, elsewhere] = [await run('here'), await run('also-here'), await run('there')]

    // When each began and ended is written down: on a slow host nobody may have looked while both loads went.
    const rows = async () => RunRow.findAll({ where: { id: [first, same, elsewhere] }, order: [['number', 'ASC']] })
    await expect.poll(async () => (await rows()).every(({ state }) => state === 'ended')).toBe(true)
    const [one, two, three] = await rows()

    expect([one, two, three].map((row) => row?.verdict)).toEqual(['open', 'open', 'open'])
    expect(two?.startedAt?.getTime()).toBeGreaterThanOrEqual(one?.endedAt?.getTime() ?? Infinity)
    expect(three?.startedAt?.getTime()).toBeLessThan(one?.endedAt?.getTime() ?? 0)
  })
})
