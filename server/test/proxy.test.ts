// Behind a proxy of ours: who asks is what the proxy itself has seen, whatever a plan writes before it.
import { afterAll, beforeAll, expect, it } from 'vitest'
import { startPlace, type Place } from './place.js'

let place: Place
beforeAll(async () => {
  place = await startPlace(false, { isBehindProxy: true })
})
afterAll(() => place.stop())

let names = 0
/** A sign-in as the proxy hands it on: it adds whom it sees to the end of what was there. */
async function attempt(claimed: string, seen: string): Promise<number> {
  const response = await fetch(`${place.server.origin}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', 'x-forwarded-for': `${claimed}, ${seen}` },
    body: JSON.stringify({ email: `n${String(names++)}@larkholm.example`, password: 'a guess of a word' }),
  })
  return response.status
}

it('an address is counted by its own, and not by what it claims', async () => {
  const told = await Promise.all(
    Array.from({ length: 51 }, (_, n) => attempt(`198.51.100.${String(n)}`, '203.0.113.7')),
  )

  expect(told.filter((status) => status === 429)).toHaveLength(1)
  expect(await attempt('203.0.113.7', '203.0.113.8')).toBe(401)
})
