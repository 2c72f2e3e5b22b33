// The page of generators: what it says of each, and of a fleet that is away.
import type { FleetAnswer, GeneratorLine } from '@jolt-gate/core/api'
import { readLanes } from '@jolt-gate/core'
import { flushPromises, mount } from '@vue/test-utils'
import { expect, it, vi } from 'vitest'
import { api } from '../src/api/client.js'
import GeneratorsPage from '../src/generators/GeneratorsPage.vue'
import { lanesByPlace, newsWords, placesOf, warningOf, worstClockMs } from '../src/generators/generator-words.js'
import { pageAround } from './page.js'

const { options } = pageAround()

const idle: GeneratorLine = {
  ...{ id: 'north/lk1', place: 'north', version: '1', cores: 2, threads: 1, mostPerSecond: 900, allowsLoopback: false },
  ...{ state: 'here', silentMs: 400, clockErrorMs: 0.2, does: null, now: null, busy: [0, 0, 0, 0, 0, 0] },
}
const making = { requests: 20, busy: 0.2, latenessMs: 0.4, steal: 0 }
const busy = [0.1, 0.95, 0.95, 0.95, 0.95, 0.95]

it.each([
  ['nothing of one that is well', {}, undefined],
  ['one that is lost', { state: 'lost', silentMs: 14_000 }, /Nothing was heard of it for 14 s/],
  ['one that is silent', { state: 'silent', silentMs: 4000 }, /Silent for 4 s/],
  ['one of another version', { version: '0.9' }, /Its version is 0.9, and this server's is 1/],
  ['one whose sender is busy for five seconds', { now: making, busy }, /A sender is 95.0 % busy/],
  ['nothing where it was busy for less', { now: making, busy: [...busy, 0.2] }, undefined],
  ['one whose host takes the processor away', { now: { ...making, steal: 0.31 } }, /takes 31.0 % of the processor/],
  ['one whose clock is known badly', { clockErrorMs: 80 }, /clock is known to 80 ms/],
] as const)('warns of %s', (_, own, words) => {
  const fault = warningOf({ ...idle, ...own, busy: 'busy' in own ? [...own.busy] : idle.busy }, '1')?.fault
  if (words === undefined) expect(fault).toBeUndefined()
  else expect(fault).toMatch(words)
})

it('adds up places by those that are here, where all of them were measured', () => {
  const more: GeneratorLine[] = [
    idle,
    { ...idle, id: 'north/lk2', clockErrorMs: 3 },
    { ...idle, id: 'south/lk3', place: 'south', mostPerSecond: null, clockErrorMs: null },
    { ...idle, id: 'south/lk4', place: 'south' },
    { ...idle, id: 'east/lk5', place: 'east', state: 'lost' },
  ]
  expect(placesOf(more)).toEqual([
    { place: 'north', generators: 2, mostPerSecond: 1800 },
    { place: 'south', generators: 2, mostPerSecond: null },
  ])
  expect(worstClockMs(more)).toBe(3)
  expect(worstClockMs([])).toBeNull()
  expect(newsWords({ at: '', generator: 'a', what: 'came back', silentMs: 14_000 })).toBe('came back after 14 s')
  expect(readLanes(lanesByPlace(['south', 'north', 'south']))).toHaveLength(5)
})

const answer: FleetAnswer = {
  ...{ state: 'joined', address: 'nats://127.0.0.1:4222', hasTls: true, version: '1', why: null, since: null },
  generators: [
    { ...idle, now: making, does: { run: { id: 'r1', number: 51, projectId: 4 }, words: 'Rush' } },
    { ...idle, id: 'south/lk2', place: 'south', state: 'silent', silentMs: 6000, now: making },
  ],
  news: [{ at: new Date().toISOString(), generator: 'south/lk2', what: 'joined' }],
}

async function shown(fleet: FleetAnswer | Error) {
  const asked = vi.spyOn(api, 'generators')
  if (fleet instanceof Error) asked.mockRejectedValue(fleet)
  else asked.mockResolvedValue(fleet)
  const page = mount(GeneratorsPage, options)
  await flushPromises()
  return page.text().replaceAll(/\s+/g, ' ')
}

it('shows who is there, what each does, and what is wrong; of a silent one no figures of before', async () => {
  const text = await shown(answer)
  expect(text).toContain('connected, TLS · 1 generator in 1 place')
  expect(text).toContain('run 51')
  expect(text).toContain('Silent for 6 s.')
  expect(text.match(/20\/s/g)).toHaveLength(1)
  expect(text).toContain('south/lk2 joined')
})

it.each([
  ['has no fleet', { ...answer, state: 'none' }, 'This server has no fleet'],
  ['is joining', { ...answer, state: 'joining' }, 'Joining the fleet'],
  ['is away', { ...answer, state: 'away', why: 'nats://x: refused', since: '2026-06-01' }, 'The fleet does not answer'],
  ['cannot be read', new Error('gone'), 'The generators could not be read'],
] as const)('says what is so where it %s', async (_, fleet, words) => {
  expect(await shown(fleet instanceof Error ? fleet : { ...fleet, generators: [], news: [] })).toContain(words)
})
