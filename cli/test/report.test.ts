// A run that is told to a server as it goes on: seen live and kept, and the same verdict whatever becomes of the
// server.
import { execFileSync, spawn } from 'node:child_process'
import { generateKeyPairSync } from 'node:crypto'
import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gunzipSync, gzipSync } from 'node:zlib'
import type { RunDetail, RunSummary } from '@jolt-gate/core/api'
import { startServer } from '@jolt-gate/server'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { Reader } from '../../server/src/reported-runs/reader.js'
import { ReportedRuns } from '../../server/src/reported-runs/reported-runs.js'
import { callerOf, git, signedIn, startPlace, type Call, type Place } from '../../server/test/place.js'
import { command } from './command.js'

let place: Place
let call: Call
let token: string
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-report-'))
const PLAN = 'plans/told.gate.yaml'
const planText = (seconds: number, gate = 'p95 response time at most 500 % of baseline or 10 s') =>
  `jolt: 1\nname: Told\ntarget: here\njourneys:\n  a:\n    steps:\n      - send: GET /health\n        name: health\nload:\n  - { phase: p, rate: 20/s, for: ${String(seconds)}s }\ngates:\n  - ${gate}\n`

beforeAll(async () => {
  place = await startPlace()
  call = callerOf(place.server.origin, await signedIn(place.server.origin))
  const until = new Date(Date.now() + 86_400_000).toISOString()
  const made = await call('POST', '/tokens', { label: 'pipeline', scopes: ['read', 'report'], until })
  token = (made.body as { token: string }).token
  // From sources the thread that reads reports takes seconds to start.
  await call('POST', `${place.project}/reported-runs`, {})
  const { repository } = place
  writeFileSync(join(repository, PLAN), planText(3))
  const { privateKey } = generateKeyPairSync('ec', { namedCurve: 'P-256' })
  writeFileSync(join(repository, 'targets/own.key'), privateKey.export({ type: 'pkcs8', format: 'pem' }))
  const target = `origin: ${place.ferries.origin}\ntls: { key: targets/own.key }\n`
  writeFileSync(join(repository, 'targets/here.target.yaml'), target)
  git(repository, 'add', '-A')
  git(repository, 'commit', '-qm', 'What is told')
  execFileSync('git', ['clone', '-q', repository, folder])
})
afterAll(() => place.stop())

interface Ended {
  code: number | null
  stderr: string
}
function run(to: string, own: Partial<{ token: string; plan: string; args: string[]; key: string }> = {}) {
  const args = ['run', own.plan ?? PLAN, '--to', to, ...(own.args ?? [])]
  const child = spawn(process.execPath, [command, ...args], {
    cwd: folder,
    env: { ...process.env, JOLT_TOKEN: own.token ?? token, JOLT_RUNNER_KEY: own.key ?? '' },
  })
  let stderr = ''
  child.stderr.on('data', (chunk: Buffer) => (stderr += chunk.toString()))
  const ended = new Promise<Ended>((resolve) => child.on('close', (code) => resolve({ code, stderr })))
  return { child, ended, told: () => stderr }
}
const send = (...files: string[]) => {
  const child = spawn(process.execPath, [command, 'send', ...files, '--to', place.server.origin], {
    env: { ...process.env, JOLT_TOKEN: token },
  })
  let text = ''
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk: Buffer) => (text += chunk.toString()))
  return new Promise<{ code: number | null; text: string }>((resolve) =>
    child.on('close', (code) => resolve({ code, text })),
  )
}
const runs = async () => ((await call('GET', '/projects/1/runs')).body as { runs: RunSummary[] }).runs
const detail = async (id: string) => (await call('GET', `/runs/${id}`)).body as RunDetail
const idIn = (stderr: string) => /run ([a-z0-9]+)$/m.exec(stderr)?.[1] ?? ''
/** Nobody listens there. */
async function nowhere(): Promise<string> {
  const server = createServer()
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const address = server.address()
  await new Promise((resolve) => server.close(resolve))
  return `http://127.0.0.1:${String(typeof address === 'object' ? (address?.port ?? 9) : 9)}`
}

describe('a run that is told to a server', () => {
  it('is seen live, kept as it is in its own result, by the change under test; the next is held to it', async () => {
    const first = run(place.server.origin, {
      args: ['--json', 'one.json', '--commit', 'abc123'.padEnd(40, '0'), '--branch', 'main', '--label', 'build=9'],
    })
    await expect.poll(async () => (await runs())[0]?.part).toBe('load')
    const { code, stderr } = await first.ended
    const id = idIn(stderr)
    const result = JSON.parse(readFileSync(join(folder, 'one.json'), 'utf8')) as RunDetail['result']

    expect([code, stderr]).toEqual([0, expect.stringContaining(`is kept at ${place.server.origin}`)])
    const kept = await detail(id)
    expect(kept).toMatchObject({
      ...{
        state: 'ended',
        verdict: 'open',
        commit: 'abc123'.padEnd(40, '0'),
        branch: 'main',
        planFile: PLAN,
        startedBy: 'Ida Quay',
      },
      labels: { build: '9' },
    })
    expect(kept.result?.totals).toEqual(result?.totals)

    const held = run(place.server.origin, {
      args: ['--json', 'two.json', '--baseline', 'server', '--branch', 'feature'],
    })
    expect((await held.ended).code).toBe(0)
    expect(JSON.parse(readFileSync(join(folder, 'two.json'), 'utf8'))).toMatchObject({ baseline: { id } })
    expect((await detail(idIn(held.told()))).baseline?.id).toBe(id)
  })

  it('is signed by the key of its runner, with a token that reports and does nothing else', async () => {
    const until = new Date(Date.now() + 86_400_000).toISOString()
    const made = await call('POST', '/tokens', { label: 'runner', scopes: ['report'], until, project: 1 })
    const { token: bound } = made.body as { token: string }
    const [one, other] = [generateKeyPairSync('ed25519'), generateKeyPairSync('ed25519')]
    const keyOf = (name: string, { privateKey }: typeof one) => {
      writeFileSync(join(folder, name), privateKey.export({ type: 'pkcs8', format: 'pem' }))
      return join(folder, name)
    }
    const publicKey = one.publicKey.export({ type: 'spki', format: 'pem' }).toString()
    await call('POST', '/projects/1/runner-keys', { name: 'quay', publicKey })
    const to = `${place.server.origin}/p/1`

    const signed = await run(to, { token: bound, key: keyOf('own.pem', one) }).ended
    const forged = await run(to, { token: bound, key: keyOf('other.pem', other), args: ['--out', 'forged'] }).ended
    const unnamed = await run(place.server.origin, { token: bound, args: ['--out', 'unnamed'] }).ended

    expect([signed.code, forged.code, unnamed.code]).toEqual([0, 0, 0])
    expect(await detail(idIn(signed.stderr))).toMatchObject({ state: 'ended', verdict: 'open', signedBy: 'quay' })
    expect(forged.stderr).toContain('by no key that the project has registered')
    expect((await runs())[0]).toMatchObject({ verdict: null })
    expect(unnamed.stderr).toContain('add /p/NUMBER to the address')
    expect((await run(to, { token: bound, key: join(folder, PLAN) }).ended).code).toBe(2)
  })

  it('has its verdict where the server is away or refuses, and is uploaded later, once', async () => {
    const before = (await runs()).length
    const [away, refused] = [
      await run(await nowhere(), { args: ['--out', 'kept', '--baseline', 'server'] }).ended,
      await run(place.server.origin, { token: 'jolt_wrong', args: ['--out', 'refused'] }).ended,
    ]
    expect([away.code, refused.code]).toEqual([0, 0])
    expect(away.stderr).toMatch(/no baseline: .*does not answer.*the run was not delivered: .*it is kept/s)
    expect(refused.stderr).toMatch(/the run was not delivered: .*JOLT_TOKEN was refused/)
    expect((await runs()).length).toBe(before)
    const [name = ''] = readdirSync(join(folder, 'kept')).filter((file) => file.endsWith('.run.gz'))
    const file = join(folder, 'kept', name)

    expect(gunzipSync(readFileSync(file)).toString()).toMatch(/^(?=.*own\.key)(?!.*PRIVATE KEY)/s)

    const [once, twice] = [await send(file), await send(file)]
    expect([once.code, twice.code]).toEqual([0, 0])
    expect((await runs()).length).toBe(before + 1)
    const [newest] = await runs()
    expect(newest).toMatchObject({ state: 'ended', verdict: 'open' })
    expect((await send(join(folder, PLAN))).code).toBe(2)

    // The same id with other content is another run, and a result that its seconds do not bear out is void.
    const kept = JSON.parse(gunzipSync(readFileSync(file)).toString()) as {
      begun: { id: string; labels: Record<string, string>; plan: { text: string } }
      result: { id: string; gates: { status: string; rule: string }[] }
      events: unknown[]
    }
    const forged = (change: (run: typeof kept) => void) => {
      const copy = structuredClone(kept)
      change(copy)
      writeFileSync(join(folder, 'forged.run.gz'), gzipSync(JSON.stringify(copy)))
      return send(join(folder, 'forged.run.gz'))
    }
    const other = await forged((one) => (one.begun.labels = { build: '10' }))
    expect([other.code, other.text]).toEqual([5, expect.stringContaining('another run already has the id')])
    const rule = 'requests at least 1000000'
    const lying = await forged((one) => {
      one.begun.id = one.result.id = 'forged1234'
      one.begun.plan.text = planText(3, rule)
      one.result.gates = [{ ...one.result.gates[0], rule, status: 'held' }, ...one.result.gates.slice(1)]
    })
    expect(lying.code).toBe(0)
    expect(await detail('forged1234')).toMatchObject({
      verdict: 'void',
      reasons: [expect.stringMatching(/judged again: .*requests at least 1000000" is breached/)],
    })
    const lost = await forged((one) => {
      one.begun.id = one.result.id = 'forged1235'
      const what = {
        generator: 'a',
        why: 'gone',
        place: null,
        atMs: 0,
        arrivals: [9],
        left: [0],
        requests: 0,
        journeys: 0,
      }
      one.events.push({ kind: 'loss', loss: what })
    })
    expect(lost.code).toBe(0)
    expect(await detail('forged1235')).toMatchObject({
      verdict: 'void',
      reasons: [expect.stringMatching(/judged again: a generator was lost, and its plan wants it void/)],
    })
  })

  it('goes on where the server goes away and comes back, and is marked where it breaks off itself', async () => {
    writeFileSync(join(folder, PLAN), planText(8, 'failed requests at most 1 %'))
    const { child, ended, told } = run(place.server.origin)
    await expect.poll(async () => (await runs())[0]?.part).toBe('load')
    const port = Number(new URL(place.server.origin).port)
    await place.server.stop()
    place.server = await startServer({
      database: place.database,
      ...{ port, pages: undefined, projects: [place.repository], runsFolder: join(place.folder, 'runs'), isDemo: true },
    })
    call = callerOf(place.server.origin, await signedIn(place.server.origin))
    expect((await ended).code).toBe(0)
    expect(await detail(idIn(told()))).toMatchObject({ state: 'ended', verdict: 'open' })
    expect((await detail(idIn(told()))).result?.series.atMs.length).toBeGreaterThanOrEqual(8)
    expect(child.exitCode).toBe(0)

    const broken = run(place.server.origin)
    await expect.poll(async () => (await runs())[0]?.part).toBe('load')
    broken.child.kill('SIGKILL')
    await broken.ended
    const [left] = await runs()
    expect((await call('POST', `/runs/${left?.id ?? ''}/stop`)).body).toMatchObject({ code: 'ELSEWHERE' })
    const watcher = new ReportedRuns(new Reader(), () => undefined)
    await watcher.endBrokenOff(Date.now() + 300_000)
    watcher.close()
    expect((await runs())[0]).toMatchObject({
      state: 'ended',
      verdict: 'void',
      reasons: [expect.stringContaining('broke off')],
    })
  })
})
