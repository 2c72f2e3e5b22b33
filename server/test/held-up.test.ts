// One token that holds the server up: what it sends takes seconds to read, and others are answered meanwhile.
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { addDatabase, dropDatabase } from '@jolt-gate/scripts'
import { afterAll, beforeAll, expect, inject, it } from 'vitest'
import { PLAN, planText, startPlace, type Place } from './place.js'
import { ended, serveProgram, type Served } from './served.js'

const MOST_MB = 700
const ALMOST_LIMIT = 18_000_000
let place: Place
let served: Served
let database: { socketPath: string; name: string }
beforeAll(async () => {
  place = await startPlace()
  const socketPath = inject('mariaDbSocket')
  const name = `jolt_gate_held_up_${String(process.pid)}`
  database = { socketPath, name }
  served = await serveProgram([
    ...['--socket', socketPath, '--database', name, '--database-user', addDatabase(socketPath, name)],
    ...['--project', place.repository, '--runs-folder', join(place.folder, 'runs-held-up')],
  ])
})
afterAll(async () => {
  await ended(served.process, 'SIGTERM')
  dropDatabase(database.socketPath, database.name)
  await place.stop()
})

const repeated = (text: string, bytes: number) => text.repeat(Math.ceil(bytes / text.length))
const many = (count: number, of: (number: number) => string) => Array.from({ length: count }, (_, n) => of(n)).join('')

let reports = 0
function reportOf({ text = planText(2), files = {} }: { text?: string; files?: Record<string, string> }) {
  const target = readFileSync(join(place.repository, 'targets/here.target.yaml'), 'utf8')
  return {
    ...{ id: `heldup${String(reports++)}`, tool: 't', target: 'here', labels: {}, shape: 'x' },
    ...{ startedAt: new Date().toISOString(), change: { commit: null, branch: null } },
    plan: {
      ...{ file: PLAN, text, set: {}, commit: null, branch: null, dirty: false, seed: 1, scale: 1 },
      files: { ...files, 'targets/here.target.yaml': target },
    },
  }
}
const data = (file: string) => planText(2).replace('journeys:', `data:\n  crossings: { file: ${file} }\njourneys:`)
const run = (of: Parameters<typeof reportOf>[0]) => ({
  ...{ method: 'POST', path: '/projects/1/reported-runs' },
  body: JSON.stringify(reportOf(of)),
})
const phases = (count: number) =>
  planText(2).replace(
    / {2}- \{ phase.*\n/,
    many(count, (n) => `  - { phase: p${String(n)}, rate: 20/s, for: 1s }\n`),
  )

/** What an author may send, of each kind that once held the server up for seconds; and what is said to it. */
const ATTACKS: [string, () => { method: string; path: string; body: string }, RegExp][] = [
  [
    'rows of a data file',
    () => {
      const csv = `id,from,to\n${repeated('4711,Larkholm,Grey Skerry\n', ALMOST_LIMIT)}`
      return run({ text: data('plans/c.csv'), files: { 'plans/c.csv': csv } })
    },
    /of another version/,
  ],
  [
    'very many keys',
    () => run({ text: `${planText(2)}values: { ${many(60_000, (n) => `k${String(n)}: 1, `)} }\n` }),
    /more than 20000 entries/,
  ],
  ['lists in lists', () => run({ text: `${planText(2)}values: { deep: ${'['.repeat(900_000)} }\n` }), /deeper than 20/],
  ['three thousand phases', () => run({ text: phases(3000) }), /at most 1000 phases/],
  ['a thousand phases', () => run({ text: phases(1000) }), /of another version/],
  [
    'JSON that nests without end',
    () => ({ ...run({}), body: `{"plan":${'['.repeat(9_000_000)}${']'.repeat(9_000_000)}}` }),
    /deeper than 100 levels/,
  ],
  [
    'a result of very many fields',
    () => ({
      ...{ method: 'PUT', path: '/runs/heldup0/reported-result' },
      body: `{"seconds":0,"events":[],"result":{${many(900_000, (n) => `"k${String(n)}":1,`)}"id":1}}`,
    }),
    /more than 500000 values/,
  ],
  [
    'a result of many fields',
    () => ({
      ...{ method: 'PUT', path: '/runs/heldup0/reported-result' },
      body: `{"seconds":0,"events":[],"result":{${many(490_000, (n) => `"k${String(n)}":1,`)}"id":1}}`,
    }),
    /result/,
  ],
  [
    'seconds that are none',
    () => ({
      ...{ method: 'POST', path: '/runs/heldup0/reported-seconds' },
      body: JSON.stringify({
        ...{ part: 'load', events: [] },
        seconds: [{ second: 1, data: repeated('AAAA', 7_900_000) }],
      }),
    }),
    /second/,
  ],
]

it.each(ATTACKS)('is not to be had by sending %s', async (_, attackOf, words) => {
  const { method, path, body } = attackOf()
  const others = async () => {
    const askedMs = performance.now()
    expect((await served.call('GET', '/projects')).status).toBe(200)
    return performance.now() - askedMs
  }
  let quietMs = 0
  for (let asked = 0; asked < 20; asked++) quietMs = Math.max(quietMs, await others())

  const [waits, beganMs] = [[0], performance.now()]
  let answered: { status: number; detail: string } | undefined
  const sending = fetch(`${served.origin}/api${path}`, {
    ...{ method, body, headers: { ...served.headers, 'content-type': 'application/json' } },
  }).then(async (response) => (answered = { status: response.status, detail: await response.text() }))
  while (answered === undefined) waits.push(await others())
  const tookMs = performance.now() - beganMs
  const longestMs = Math.max(...waits)
  await sending
  const memory = /VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${String(served.process.pid)}/status`, 'utf8'))?.[1]

  expect(answered.status).toBeGreaterThanOrEqual(400)
  expect(answered.status).toBeLessThan(500)
  expect(answered.detail).toMatch(words)
  // A reading that took long held nobody else up for most of it.
  if (tookMs > 40 * quietMs) expect(longestMs).toBeLessThan(tookMs / 2)
  expect(Number(memory) / 1000).toBeLessThan(MOST_MB)
})

it('is not to be had by sending many at once: two of a person, and the rest may come again', async () => {
  const { path, body } = run({ text: `${planText(2)}# ${repeated('sea ', 900_000)}`, files: { x: repeated('y', 2e6) } })
  const headers = { ...served.headers, 'content-type': 'application/json' }
  const send = async () => (await fetch(`${served.origin}/api${path}`, { method: 'POST', body, headers })).status
  const answers = await Promise.all(Array.from({ length: 6 }, send))

  expect(answers).toContain(429)
  expect(await send()).toBe(409)
})
