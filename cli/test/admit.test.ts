// A change that goes on to a stage or does not, as a pipeline asks it: runs by the command, the answer by the command.
import { execFileSync, spawn } from 'node:child_process'
import { mkdtempSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { AdmissionAnswer } from '@jolt-gate/core/api'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { callerOf, git, PLAN, planText, signedIn, startPlace, type Place } from '../../server/test/place.js'
import { command } from './command.js'

let place: Place
let token: string
/** What a runner checks out: the repository of the plans. */
const checkout = join(mkdtempSync(join(tmpdir(), 'jolt-gate-admit-')), 'booking')
/** A commit of the service, which has a repository of its own. */
const CHANGE = 'b21f9c0b21f9c0b21f9c0b21f9c0b21f9c0b21f9'

beforeAll(async () => {
  place = await startPlace()
  const call = callerOf(place.server.origin, await signedIn(place.server.origin))
  const until = new Date(Date.now() + 86_400_000).toISOString()
  const made = await call('POST', '/tokens', { label: 'pipeline', scopes: ['read', 'report'], until })
  token = (made.body as { token: string }).token
  execFileSync('git', ['clone', '-q', place.repository, checkout])
  git(checkout, 'config', 'user.email', 't@t.example')
  git(checkout, 'config', 'user.name', 'T')
})
afterAll(() => place.stop())

function jolt(args: string[], env: Record<string, string> = {}) {
  const child = spawn(process.execPath, [command, ...args], {
    cwd: checkout,
    env: { ...process.env, JOLT_TOKEN: token, ...env },
  })
  let [stdout, stderr] = ['', '']
  child.stdout.on('data', (chunk: Buffer) => (stdout += chunk.toString()))
  child.stderr.on('data', (chunk: Buffer) => (stderr += chunk.toString()))
  return new Promise<{ code: number | null; stdout: string; stderr: string }>((resolve) =>
    child.on('close', (code) => resolve({ code, stdout, stderr })),
  )
}
const run = (...more: string[]) => jolt(['run', PLAN, '--to', place.server.origin, '--commit', CHANGE, ...more])
const admit = (...more: string[]) =>
  jolt(['admit', '--stage', 'production', '--to', place.server.origin, '--commit', CHANGE, ...more])

describe('admit', () => {
  it('refuses a change that was not run, with what is missing', async () => {
    const { code, stdout } = await admit()

    expect(code).toBe(1)
    expect(stdout).toMatch(/^Waiting: production for b21f9c0b21f9: staging: .* was not run for this change$/m)
  })

  it('counts no run at another scale, with other values, or of a plan that is not the committed one', async () => {
    expect((await run('--scale', '0.5')).code).toBe(0)
    expect((await admit()).stdout).toContain('does not count: it ran at scale 0.5')

    // Gates that hold whatever happens, and a commit that says it is the one of before.
    writeFileSync(join(checkout, PLAN), planText(2).replace('at most 1 %', 'at most 100 %'))
    git(checkout, 'commit', '-qam', 'Loosen')
    expect((await run()).code).toBe(0)
    expect((await admit()).stdout).toMatch(
      /does not count: plans\/short\.gate\.yaml is not that of the default branch \([0-9a-f]{7}\)/,
    )
    git(checkout, 'update-index', '--assume-unchanged', PLAN)
    git(checkout, 'reset', '-q', '--soft', 'HEAD~1')
    git(checkout, 'update-index', '--no-assume-unchanged', PLAN)
    git(checkout, 'reset', '-q')
    git(checkout, 'update-index', '--assume-unchanged', PLAN)
    expect((await run()).code).toBe(0)
    const { code, stdout } = await admit()
    git(checkout, 'update-index', '--no-assume-unchanged', PLAN)
    git(checkout, 'checkout', '-q', '--', PLAN)

    expect(stdout).toMatch(/does not count: plans\/short\.gate\.yaml is not that of the default branch \([0-9a-f]{7}\)/)
    expect(code).toBe(1)
  })

  it('lets a change go on after an open run of the committed plan, and by the first digits of its commit', async () => {
    const { code: ran } = await run()
    expect(ran).toBe(0)

    const { code, stdout } = await admit()
    expect([code, stdout]).toEqual([0, expect.stringMatching(/^Admitted: .* staging: open, just now$/m)])
    const short = await jolt([
      ...['admit', '--stage', 'production', '--to', place.server.origin],
      ...['--commit', CHANGE.slice(0, 8), '--json', '-'],
    ])
    expect(short.code).toBe(0)
    expect((JSON.parse(short.stdout) as AdmissionAnswer).commit).toBe(CHANGE)
  })

  it('counts no run of a plan that the default branch does not have then, and says so, whatever comes later', async () => {
    const later = CHANGE.replaceAll('b', 'c')
    writeFileSync(join(checkout, PLAN), planText(1))
    git(checkout, 'commit', '-qam', 'Shorter')
    expect((await run('--commit', later)).code).toBe(0)
    expect((await admit('--commit', later)).stdout).toContain(`${PLAN} is not that of the default branch`)

    git(place.repository, 'pull', '-q', '--ff-only', checkout, 'main')
    expect((await admit('--commit', later)).code).toBe(1)
    expect((await run('--commit', later)).code).toBe(0)

    const { code, stdout } = await admit('--commit', later, '--json', '-')
    expect(code).toBe(0)
    const { required } = JSON.parse(stdout) as AdmissionAnswer
    const [plan] = required[0]?.stage.plans ?? []
    expect(plan).toMatchObject({
      run: { planCommit: git(checkout, 'rev-parse', 'HEAD') },
      changed: { commit: git(checkout, 'rev-parse', 'HEAD'), who: 'T' },
    })
  })

  it('counts no run of the plan from before its gates were tightened', async () => {
    const before = git(checkout, 'rev-parse', 'HEAD')
    const change = CHANGE.replaceAll('b', 'd')
    writeFileSync(join(checkout, PLAN), planText(1).replace('at most 1 %', 'at most 0.5 %'))
    git(checkout, 'commit', '-qam', 'Tighter')
    git(place.repository, 'pull', '-q', '--ff-only', checkout, 'main')
    git(checkout, 'checkout', '-q', before)
    expect((await run('--commit', change)).code).toBe(0)
    git(checkout, 'checkout', '-q', 'main')

    const { code, stdout } = await admit('--commit', change)
    expect([code, stdout]).toEqual([1, expect.stringContaining(`${PLAN} is not that of the default branch`)])
  })

  it('counts no run of a plan that was loosened and restored within a branch', async () => {
    const change = CHANGE.replaceAll('b', 'e')
    git(checkout, 'checkout', '-q', '-b', 'side')
    const strict = planText(1).replace('at most 1 %', 'at most 0.5 %')
    writeFileSync(join(checkout, PLAN), strict.replace('0.5 %', '90 %'))
    git(checkout, 'commit', '-qam', 'Looser')
    const loose = git(checkout, 'rev-parse', 'HEAD')
    expect((await run('--commit', change)).code).toBe(0)
    expect((await run('--commit', loose)).code).toBe(0)
    writeFileSync(join(checkout, PLAN), strict)
    git(checkout, 'commit', '-qam', 'As before')
    git(checkout, 'checkout', '-q', 'main')
    git(checkout, 'merge', '-q', '--no-ff', '-m', 'Merge', 'side')
    git(place.repository, 'pull', '-q', '--ff-only', checkout, 'main')

    for (const commit of [change, loose]) expect((await admit('--commit', commit)).code).toBe(1)
  })

  it('takes a commit in full where a run is told to a server', async () => {
    const short = await run('--commit', 'abc1234')
    expect([short.code, short.stderr]).toEqual([2, expect.stringContaining('give the commit in full')])
  })

  it('ends with 2 where the question is wrong, and with 3 without an answer: it opens nothing then', async () => {
    const wrong = await jolt(['admit', '--stage', 'prod', '--to', place.server.origin, '--commit', CHANGE])
    expect(wrong).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('Its stages: staging, production') as string,
    })
    expect(await jolt(['admit', '--stage', 'a', '--to', place.server.origin, '--commit', 'main'])).toMatchObject({
      code: 2,
    })

    const refused = await jolt(['admit', '--stage', 'production', '--to', place.server.origin], { JOLT_TOKEN: 'none' })
    expect([refused.code, refused.stderr]).toEqual([3, expect.stringMatching(/^Void \(inconclusive\): no answer/)])

    const busy = createServer((_, response) => response.writeHead(503).end('{}'))
    await new Promise<void>((resolve) => busy.listen(0, '127.0.0.1', resolve))
    const { port } = busy.address() as { port: number }
    const away = await jolt(['admit', '--stage', 'production', '--to', `http://127.0.0.1:${String(port)}/p/1`])
    busy.close()
    expect([away.code, away.stderr]).toEqual([3, expect.stringContaining('status 503')])
  })
})
