// Rehearsals at once, and cut off: processes are killed, and teardown is done or its lack is said.
import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type ServerResponse } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { callerOf, git, newDatabase, signedIn, type Call } from './place.js'
import { killed, serveProgram, stopped, type Served } from './served.js'

const kills = Array.from({ length: Number(process.env['KILLS'] ?? 1) }, (_, number) => number + 1)
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-rehearsals-'))
const runsFolder = join(folder, 'runs')
const PLAN = 'plans/booking.gate.yaml'
const waiting: ServerResponse[] = []
let arrivals: string[] = []
/** Answers what is made and cleared away; what lies between waits until the test lets it go. */
const target = createServer((request, response) => {
  arrivals.push(`${request.method ?? ''} ${request.url ?? ''}`)
  if (request.url === '/slow') waiting.push(response)
  else response.setHeader('content-type', 'application/json').end('{"id": "b-17"}')
})
let place: string[]
let server: Served

beforeAll(async () => {
  await new Promise<void>((resolve) => target.listen(0, '127.0.0.1', resolve))
  const address = target.address()
  const origin = `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`
  const { socketPath, user, database } = newDatabase()
  place = ['--socket', socketPath, '--database-user', user, '--database', database, '--runs-folder', runsFolder]
  for (const name of ['larkholm', 'skerry']) {
    const repository = join(folder, name)
    for (const kind of ['plans', 'targets']) mkdirSync(join(repository, kind), { recursive: true })
    writeFileSync(join(repository, 'targets/here.target.yaml'), `origin: ${origin}\n`)
    writeFileSync(join(repository, PLAN), PLAN_TEXT)
    git(repository, 'init', '-q', '-b', 'main')
    git(repository, 'config', 'user.name', 'T')
    git(repository, 'config', 'user.email', 't@t.example')
    git(repository, 'add', '-A')
    git(repository, 'commit', '-qm', 'first')
    place.push('--project', repository)
  }
  server = await serveProgram(place)
})
beforeEach(() => {
  arrivals = []
})
afterAll(async () => {
  letGo()
  await stopped(server)
  target.close()
  rmSync(folder, { recursive: true, force: true })
})

const PLAN_TEXT = `jolt: 1
name: Booking
target: here
setup:
  - send: POST /bookings
    keep: { booking: json $.id }
journeys:
  a:
    steps:
      - send: GET /slow
load:
  - { phase: p, rate: 1/s, for: 1s }
teardown:
  - send: DELETE /bookings/{booking}
gates:
  - failed requests at most 1 %
`

const rehearse = (project = 1, body: Record<string, unknown> = {}) =>
  fetch(`${server.origin}/api/projects/${String(project)}/rehearsals`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...server.headers },
    body: JSON.stringify({ plan: PLAN, ...body }),
  })
const letGo = () => {
  for (const response of waiting.splice(0)) response.end('{}')
}
const untilSlow = (count = 1) => expect.poll(() => waiting.length, { interval: 50 }).toBe(count)

describe('rehearsals', () => {
  it('are two of a person at once; a third one is refused, and told why', async () => {
    const [first, second] = [rehearse(), rehearse()]
    await untilSlow(2)

    const third = await rehearse()

    expect([third.status, await third.json()]).toMatchObject([429, { code: 'BUSY' }])
    letGo()
    for (const one of [await first, await second]) expect(await one.text()).toContain('"passed":true')
  })

  it('are begun again from a step only by their person, in their project, towards the same addresses', async () => {
    const made = rehearse()
    await untilSlow()
    letGo()
    const lines = (await (await made).text()).trim().split('\n')
    const { id: rehearsal } = JSON.parse(lines[0] ?? '') as { id: string }
    const again = { rehearsal, step: '1' }

    const [elsewhere, someone] = [await rehearse(2, { again }), await asAnother(server.call, again)]
    const own = rehearse(1, { again })
    await untilSlow()
    letGo()

    expect([elsewhere.status, someone.status, (await own).status]).toEqual([409, 409, 200])
    await (await own).text()
  })

  it('are begun again for one step alone, and make nothing else', async () => {
    const made = rehearse()
    await untilSlow()
    letGo()
    const [begin = ''] = (await (await made).text()).split('\n')
    const { id: rehearsal } = JSON.parse(begin) as { id: string }
    const text = PLAN_TEXT.replace('- send: GET /slow', '- send: GET /slow\n      - send: GET /after')
    const before = arrivals.length

    const own = rehearse(1, { text, again: { rehearsal, step: '1', only: true } })
    await untilSlow()
    letGo()

    expect(await (await own).text()).toContain('"passed":true')
    expect(arrivals.slice(before)).toEqual(['GET /slow'])
  })

  it.each(kills)('whose process is killed are torn down by another, and say so (%i)', async () => {
    const asked = rehearse()
    await untilSlow()

    execFileSync('pkill', ['-KILL', '-P', String(server.process.pid), '-f', 'rehearse/rehearsal-process'])

    expect(await (await asked).text()).toContain('the rehearsal ended by SIGKILL; teardown was done')
    expect(arrivals.at(-1)).toBe('DELETE /bookings/b-17')
    expect(readdirSync(runsFolder).filter((name) => name.startsWith('rehearsal-'))).toEqual([])
    letGo()
  })

  it.each(kills)(
    'whose server is killed tear down by themselves; with their process, the next one says that they did not (%i)',
    async (number) => {
      void rehearse().catch(() => undefined)
      await untilSlow()
      await killed(server)
      await expect.poll(() => arrivals.at(-1)).toBe('DELETE /bookings/b-17')
      letGo()

      server = await serveProgram(place)
      void rehearse().catch(() => undefined)
      await untilSlow()
      const { pid = 0 } = server.process
      const own = execFileSync('pgrep', ['-P', String(pid), '-f', 'rehearsal-process'], { encoding: 'utf8' })
      // In one breath: whichever is left longer would tear down.
      for (const one of [pid, Number(own)]) process.kill(one, 'SIGKILL')
      await killed(server)
      server = await serveProgram(place)

      const events = async () =>
        ((await server.call('GET', '/audit-log?search=cut off')).body as { events: { detail: string }[] }).events
      await expect
        .poll(async () => (await events()).map(({ detail }) => detail))
        .toEqual(Array(number).fill(`${PLAN}: it was ended with its server, and its teardown was not done`))
      expect(arrivals.filter((one) => one.startsWith('DELETE'))).toHaveLength(1)
      letGo()
    },
  )
})

/** Somebody else, with a token that was made for them, asks for the same. */
async function asAnother(call: Call, again: Record<string, string>) {
  const [email, password] = ['jon@larkholm.example', 'grey-gull-nine']
  await call('POST', '/people', { name: 'Jon Buoy', email, password, role: 'author' })
  const headers = await signedIn(server.origin, '/session', { email, password })
  return callerOf(server.origin, headers)('POST', '/projects/1/rehearsals', { plan: PLAN, again })
}
