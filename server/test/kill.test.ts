// What a run survives: its generator, the server and the database are killed in its middle. `npm run test:kill` kills
// more often, and at each step of a pipeline.
import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, renameSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { startMariaDb, type MariaDb } from '@jolt-gate/scripts'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { git } from './place.js'
import { generatorOf, killed, serveProgram, stopped, type Served } from './served.js'

const KILLS = Number(process.env['KILLS'] ?? 1)
const kills = Array.from({ length: KILLS }, (_, number) => number + 1)
const SECONDS = 3

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-kill-'))
const repository = join(folder, 'larkholm')
const socket = join(folder, 'database.sock')
/** What the target was asked for: each setup gives a ticket, which its teardown hands back. */
const asked = { setups: 0, requests: 0, returned: [] as string[], told: new Set<string>() }
const target = createServer((request, response) => {
  const { pathname, searchParams } = new URL(request.url ?? '/', 'http://target')
  if (pathname === '/ticket') response.end(JSON.stringify({ ticket: `ticket-${String(++asked.setups)}` }))
  else if (pathname === '/return') {
    asked.returned.push(searchParams.get('ticket') ?? '')
    response.end('thanks')
  } else if (pathname === '/events') {
    asked.told.add(String(request.headers['webhook-id']))
    response.end()
  } else {
    asked.requests++
    response.end('{}')
  }
})
let database: MariaDb
let server: Served

beforeAll(async () => {
  const origin = await new Promise<string>((resolve) => {
    target.listen(0, '127.0.0.1', () => {
      const address = target.address()
      resolve(`http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`)
    })
  })
  for (const name of ['plans', 'targets', 'runs', 'pipelines']) mkdirSync(join(repository, name), { recursive: true })
  writeFileSync(join(repository, 'targets/here.target.yaml'), `origin: ${origin}\n`)
  writeFileSync(join(repository, 'plans/long.gate.yaml'), planOf('Long', SECONDS))
  for (const name of ['next', 'last']) writeFileSync(join(repository, `plans/${name}.gate.yaml`), planOf(name, 1))
  writeFileSync(
    join(repository, 'plans/slow.gate.yaml'),
    planOf('slow', 1).replace('teardown:\n', 'teardown:\n  - wait: 1s\n'),
  )
  writeFileSync(
    join(repository, 'pipelines/here.pipeline.yaml'),
    `jolt: 1
pipeline: here
stages:
  - { stage: review, plans: [plans/next.gate.yaml, plans/long.gate.yaml] }
  - { stage: staging, after: review, plans: [plans/last.gate.yaml] }
  - { stage: production, begins: admission, requires: [review, staging] }
`,
  )
  git(repository, 'init', '-q', '-b', 'main')
  git(repository, 'config', 'user.name', 'T')
  git(repository, 'config', 'user.email', 't@t.example')
  git(repository, 'add', '-A')
  git(repository, 'commit', '-qm', 'first')
  await openDatabase()
  server = await serve()
  const webhook = { url: `${origin}/events`, events: ['run.verdict'] }
  expect((await server.call('POST', '/projects/1/webhooks', webhook)).status).toBe(201)
})
afterAll(async () => {
  if (KILLS > 1) printTable()
  // A test that failed may have left it killed.
  await stopped(server)
  await database.stop()
  target.close()
  rmSync(folder, { recursive: true, force: true })
})

const planOf = (name: string, seconds: number) => `jolt: 1
name: ${name}
target: here
setup:
  - send: POST /ticket
    keep: { ticket: json $.ticket }
teardown:
  - send: POST /return{?ticket}
    with: { ticket: '{ticket}' }
journeys:
  a:
    steps:
      - send: GET /sailings
load:
  - { phase: p, rate: 20/s, for: ${String(seconds)}s }
gates:
  - failed requests at most 1 %
`

/** The server is told one path; where the database listens changes with each start of it. */
async function openDatabase(): Promise<void> {
  database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
  symlinkSync(database.socketPath, `${socket}.new`)
  renameSync(`${socket}.new`, socket)
}

const serve = () => serveProgram(['--socket', socket, '--runs-folder', join(folder, 'runs'), '--project', repository])

interface Run {
  id: string
  state: string
  part: string | null
  verdict: string | null
  reasons: string[]
}

async function start(plan: string): Promise<string> {
  const { body } = await server.call('POST', '/projects/1/runs', { plan: `plans/${plan}.gate.yaml` })
  return (body as Run).id
}

/** What is known of a run; nothing while the server cannot read it. */
async function runOf(id: string): Promise<Partial<Run>> {
  const { status, body } = await server.call('GET', `/runs/${id}`)
  return status === 200 ? (body as Run) : {}
}

async function ended(id: string): Promise<Partial<Run>> {
  await expect.poll(async () => (await runOf(id)).state, { interval: 100 }).toBe('ended')
  return runOf(id)
}

/** Numbers of the seconds that are stored of a run that has ended: all from the first on. */
async function storedSeconds(id: string): Promise<number[]> {
  const response = await fetch(`${server.origin}/api/runs/${id}/stream`, { headers: server.headers })
  const events = (await response.text()).split('\n\n').filter((event) => /^event: ?bucket$/m.test(event))
  const seconds = events.map((event) => Number(/^id: ?(\d+)$/m.exec(event)?.[1]))
  expect(seconds).toEqual(seconds.map((_, index) => index))
  return seconds
}

/** What was killed, how often, and what came of it. */
const table = new Map<string, { kills: number; told: number; lost: number; verdicts: Map<string, number> }>()

/** What was told of a run before something was killed is stored after it; both go into the table. */
async function expectNothingLost(what: string, id: string, told: number): Promise<void> {
  const stored = (await storedSeconds(id)).length
  const row = table.get(what) ?? { kills: 0, told: 0, lost: 0, verdicts: new Map<string, number>() }
  table.set(what, row)
  const { verdict } = await runOf(id)
  row.kills++
  row.told += told
  row.lost += Math.max(0, told - stored)
  row.verdicts.set(String(verdict), (row.verdicts.get(String(verdict)) ?? 0) + 1)
  expect(stored).toBeGreaterThanOrEqual(told)
}

function printTable(): void {
  const lines = [...table].map(([what, { kills, told, lost, verdicts }]) => {
    const words = [...verdicts].map(([verdict, count]) => `${String(count)} ${verdict}`).join(', ')
    return `| ${what} | ${String(kills)} | ${String(told)} | ${String(lost)} | ${words} |`
  })
  process.stdout.write(
    `\n| killed | times | seconds told | seconds lost | verdicts |\n| --- | ---: | ---: | ---: | --- |\n${lines.join('\n')}\n`,
  )
}

/** Follows a run from its load on to a moment in it; says how many seconds had been told by then. */
async function untilWithin(id: string, ms: number): Promise<number> {
  const response = await fetch(`${server.origin}/api/runs/${id}/stream`, { headers: server.headers })
  let text = ''
  const reading = (async () => {
    for await (const chunk of response.body ?? []) text += Buffer.from(chunk).toString('utf8')
  })().catch(() => undefined)
  await expect.poll(() => text, { interval: 20 }).toContain('"part":"load"')
  await sleep(ms)
  const told = [...text.matchAll(/^event: ?bucket$/gm)].length
  await Promise.race([reading, sleep(0)])
  return told
}

interface StageNow {
  at: { state: string; plans: { run: { id: string } | null }[] }
  words: string
}
/** Where the change stands that the branch is at, and whether it may go on. */
async function pipelineNow(): Promise<{ review: StageNow; staging: StageNow; admission: string }> {
  const { body } = await server.call('GET', '/projects/1/pipeline?file=pipelines/here.pipeline.yaml')
  const [line] = (body as { changes: { stages: (StageNow & { admission: { answer: string } | null })[] }[] }).changes
  const [review, staging, production] = line?.stages ?? []
  if (review === undefined || staging === undefined) throw new Error('the change is not there')
  return { review, staging, admission: production?.admission?.answer ?? '' }
}

const somewhere = () => 200 + Math.random() * (SECONDS * 1000 - 900)

const generatorPid = () => generatorOf(server)
const killServer = () => killed(server)

describe('a run whose', () => {
  it.each(kills)('generator is killed keeps its seconds, is torn down and closed as void (%i)', async () => {
    const long = await start('long')
    const next = await start('next')
    const { setups } = asked
    const told = await untilWithin(long, somewhere())

    process.kill(generatorPid(), 'SIGKILL')

    const run = await ended(long)
    expect(run).toMatchObject({ verdict: 'void' })
    expect(run.reasons?.join()).toMatch(/its generator ended by SIGKILL (before|after)/)
    await expectNothingLost('generator', long, told)
    expect(asked.returned).toContain(`ticket-${String(setups + 1)}`)
    expect(await ended(next)).toMatchObject({ verdict: 'open' })
  })

  it.each(kills)('server is killed stops, tears down, and is closed by the next server (%i)', async () => {
    const long = await start('long')
    const next = await start('next')
    const { setups } = asked
    const told = await untilWithin(long, somewhere())

    await killServer()
    server = await serve()

    const run = await ended(long)
    expect(run).toMatchObject({ verdict: 'stopped' })
    expect(run.reasons?.join()).toContain('the server, which ended')
    await expectNothingLost('server', long, told)
    expect(asked.returned).toContain(`ticket-${String(setups + 1)}`)
    expect(await ended(next)).toMatchObject({ verdict: 'open' })
    expect(asked.setups).toBe(setups + 2)
  })

  it.each(kills)('server and generator are killed keeps its seconds, and is closed as void (%i)', async () => {
    const long = await start('long')
    const { setups } = asked
    const told = await untilWithin(long, somewhere())

    process.kill(generatorPid(), 'SIGKILL')
    await killServer()
    server = await serve()

    const run = await ended(long)
    expect(run).toMatchObject({ verdict: 'void' })
    expect(run.reasons?.join()).toMatch(/ended .*(SIGKILL|teardown was not done)/)
    await expectNothingLost('server and generator', long, told)
    expect(asked.setups).toBe(setups + 1)
  })

  it.each(kills)('database is killed goes on, and is stored when that is back (%i)', async () => {
    const long = await start('long')
    const told = await untilWithin(long, somewhere())

    execFileSync('pkill', ['-KILL', '-f', `datadir=${join(folder, 'data')}`])
    await database.ended
    await sleep(1000)
    expect(await server.call('GET', `/runs/${long}`)).toMatchObject({ status: 503, body: { code: 'DATABASE_AWAY' } })
    expect((await fetch(`${server.origin}/readyz`)).status).toBe(503)
    await openDatabase()

    expect(await ended(long)).toMatchObject({ verdict: 'open', reasons: [] })
    await expectNothingLost('database', long, Math.max(SECONDS, told))
  })

  it.runIf(KILLS > 1).each(kills)(
    'generator is killed while it tears down is not open unless all of that was done (%i)',
    async () => {
      const run = await start('slow')
      await expect.poll(async () => (await runOf(run)).part, { interval: 20 }).toBe('teardown')
      await sleep(Math.random() * 900)
      const { setups } = asked
      process.kill(generatorPid(), 'SIGKILL')

      const { verdict } = await ended(run)
      expect(verdict === 'void' || asked.returned.includes(`ticket-${String(setups)}`)).toBe(true)
      await expectNothingLost('generator, in teardown', run, 1)
    },
  )

  it.runIf(KILLS > 1).each(kills)('server is killed while it tears down keeps what it came to (%i)', async () => {
    const run = await start('slow')
    await expect.poll(async () => (await runOf(run)).part, { interval: 20 }).toBe('teardown')
    await sleep(Math.random() * 900)
    const { setups } = asked
    await killServer()
    server = await serve()

    await ended(run)
    expect(asked.returned).toContain(`ticket-${String(setups)}`)
    await expectNothingLost('server, in teardown', run, 1)
  })
})

/** What a pipeline is at, as one sees it from outside. */
interface Passage {
  runs: { id: string; state: string; part: string | null; verdict: string }[]
  review: StageNow
  staging: StageNow
}
interface Moment {
  when: string
  isNow: (passage: Passage) => boolean
}
const hasEnded = (most: number) => (passage: Passage) =>
  passage.runs.filter(({ state }) => state === 'ended').length >= most
const isUnderWay = (number: number) => (passage: Passage) => passage.runs[number]?.part === 'load'
/** Where nothing is under way, or just about to be: the pipeline goes on after these. */
const BETWEEN: Moment[] = [
  { when: 'its stages were asked for', isNow: () => true },
  { when: 'its first run has ended', isNow: hasEnded(1) },
  { when: 'its first stage is open', isNow: ({ review }) => review.at.state === 'open' },
  { when: 'all its runs have ended', isNow: hasEnded(3) },
]
const WITHIN: Moment[] = [
  { when: 'its first run is under way', isNow: isUnderWay(0) },
  { when: 'its second run is under way', isNow: isUnderWay(1) },
  { when: 'the run of its second stage is under way', isNow: isUnderWay(2) },
]
const isOver = ({ review, staging }: Passage) => {
  const isEnded = (state: string) => ['open', 'shut', 'void', 'stopped'].includes(state)
  return isEnded(review.at.state) && (isEnded(staging.at.state) || staging.words.startsWith('not begun'))
}

// Servers start again and again in each.
describe('a pipeline', { timeout: 180_000 }, () => {
  async function passageNow(): Promise<Passage> {
    const { review, staging } = await pipelineNow()
    const { body } = await server.call('GET', '/projects/1/runs')
    const commit = git(repository, 'rev-parse', 'HEAD')
    const runs = (body as { runs: (Passage['runs'][number] & { commit: string })[] }).runs
    return { review, staging, runs: runs.filter((run) => run.commit === commit).reverse() }
  }
  async function begin(): Promise<void> {
    writeFileSync(join(repository, 'README.md'), String(Math.random()))
    git(repository, 'add', '-A')
    git(repository, 'commit', '-qm', 'a change')
    for (const stage of ['review', 'staging'])
      expect((await server.call('POST', '/projects/1/stage-runs', { stage })).status).toBe(201)
  }
  async function killAndServe(): Promise<void> {
    await killServer()
    server = await serve()
  }
  /** It ends as its runs did, lets nothing through but open ones, makes none twice, and tells of each. */
  async function endsTruly(): Promise<void> {
    await expect.poll(async () => isOver(await passageNow()), { interval: 300 }).toBe(true)
    const { admission } = await pipelineNow()
    const { review, staging, runs } = await passageNow()
    const verdicts = await Promise.all(
      [...review.at.plans, ...staging.at.plans].map(async ({ run }) =>
        run === null ? null : (await runOf(run.id)).verdict,
      ),
    )
    const allOpen = verdicts.every((verdict) => verdict === 'open')
    expect([admission, review.at.state === 'open' && staging.at.state === 'open']).toEqual([
      allOpen ? 'admitted' : 'refused',
      allOpen,
    ])
    if (review.at.state !== 'open') expect(staging.words).toBe(`not begun: review is ${review.at.state}`)
    expect(runs.length).toBeLessThanOrEqual(3)
    const events = runs.map(({ id, verdict }) => `run.verdict/${id}/${verdict}`)
    await expect.poll(() => events.filter((event) => !asked.told.has(event))).toEqual([])
  }

  it('whose server is killed before, between and after its runs ends truly', async () => {
    await begin()

    for (const { isNow } of BETWEEN) {
      const isThere = async () => {
        const passage = await passageNow()
        return isNow(passage) || isOver(passage)
      }
      await expect.poll(isThere, { interval: 20 }).toBe(true)
      await killAndServe()
    }

    await endsTruly()
  })

  // Each moment by itself, and moments of no choice, take minutes.
  it.runIf(KILLS > 1).each([...BETWEEN, ...WITHIN])(
    'whose server is killed when $when ends truly',
    async ({ isNow }) => {
      await begin()
      await expect.poll(async () => isNow(await passageNow()), { interval: 20 }).toBe(true)

      await killAndServe()

      await endsTruly()
    },
  )

  it.runIf(KILLS > 1).each(kills)('whose server is killed somewhere ends truly (%i)', async () => {
    await begin()
    await sleep(Math.random() * 9000)

    await killAndServe()

    await endsTruly()
  })
})
