// `run` of several plans, as a pipeline does it: in order, with one JUnit file and one summary, up to the first that is
// not open; and the lines of docs/pipelines.md in a POSIX shell.
import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { programOf, startChild, type Child } from '@jolt-gate/scripts'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'

const command = join(process.env['JOLT_GATE_TEST_BUNDLE'] ?? '', 'main.js')
const root = fileURLToPath(new URL('../../', import.meta.url))
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-several-'))
let ferries: Child

beforeAll(async () => {
  ferries = await startChild(programOf('stand-ins/ferries'))
  mkdirSync(join(folder, 'plans'))
  const plan = (name: string, gate: string, path = '/health') =>
    writeFileSync(
      join(folder, `plans/${name}.gate.yaml`),
      `jolt: 1\nname: ${name}\ntarget: ${ferries.origin}\njourneys:\n  a:\n    steps:\n      - send: GET ${path}\nload:\n  - { phase: p, rate: 20/s, for: 1s }\ngates:\n  - ${gate}\n`,
    )
  plan('smoke', 'failed requests at most 50 %')
  plan('shut', 'failed requests at most 1 %', '/nowhere')
  plan('later', 'failed requests at most 50 %')
  // Twenty requests cannot decide a gate on the 99.9th percentile.
  plan('void', 'p99.9 response time under 300 ms')
  writeFileSync(join(folder, 'plans/wrong.gate.yaml'), 'jolt: 1\nnonsense: 1\n')
})
afterAll(async () => {
  await ferries.stop()
  rmSync(folder, { recursive: true, force: true })
})

const plans = (...names: string[]) => names.map((name) => `plans/${name}.gate.yaml`)
const jolt = (...args: string[]) =>
  spawnSync(process.execPath, [command, ...args], { cwd: folder, encoding: 'utf8', env: { PATH: process.env['PATH'] } })
const read = (file: string) => readFileSync(join(folder, file), 'utf8')

describe('several plans', () => {
  it('run in order, and end at the first that is not open, with one JUnit file and one summary', () => {
    // Of an earlier run, in which all was well.
    mkdirSync(join(folder, 'reports'))
    writeFileSync(join(folder, 'reports/plans-later.json'), '{"verdict":"open"}')

    const { status, stderr } = jolt('run', ...plans('smoke', 'shut', 'later'), '--out', 'reports')

    expect(status).toBe(1)
    expect(stderr).toMatch(/Open \(passed\) +plans\/smoke.*\nShut \(failed\) +plans\/shut.*\nNot run +plans\/later/)
    expect(read('reports/junit.xml').match(/<testsuite /g)).toHaveLength(3)
    expect(read('reports/junit.xml')).toMatch(/<skipped message="not run: a plan before it was not open"/)
    expect(read('reports/summary.md')).toMatch(/Open[^]*Shut[^]*Not run: plans\/later/)
    expect(JSON.parse(read('reports/plans-shut.json'))).toMatchObject({ verdict: 'shut' })
    expect(existsSync(join(folder, 'reports/plans-later.json'))).toBe(false)
  })

  it('bear their labels and the change under test in every report', () => {
    const about = ['--label', 'tier=staging', '--label', 'build=<7>', '--commit', '1a2b3c4d5e6f', '--branch', 'fares']
    const { status } = jolt('run', ...plans('smoke'), ...about, '--out', 'labelled')

    expect(status).toBe(0)
    expect(JSON.parse(read('labelled/plans-smoke.json'))).toMatchObject({
      labels: { tier: 'staging', build: '<7>' },
      change: { commit: '1a2b3c4d5e6f', branch: 'fares' },
    })
    expect(read('labelled/summary.md')).toMatch(/change 1a2b3c4d on fares, tier: staging/)
    expect(read('labelled/junit.xml')).toMatch(/<property name="build" value="&lt;7&gt;"/)
    expect(read('labelled/plans-smoke.html')).toMatch(/change 1a2b3c4d on fares · tier: staging · build: &#60;7&#62;/)
    for (const wrong of ['tier', '=x', 'a b=c', `a=${'x'.repeat(201)}`]) {
      const refused = jolt('run', ...plans('smoke'), '--label', wrong)
      expect([refused.status, refused.stderr]).toEqual([2, expect.stringContaining('expected name=value')])
    }
  })

  it('all run when that is asked for, and come to the worst', () => {
    const { status, stderr } = jolt('run', ...plans('void', 'shut', 'later'), '--all', '--junit', 'all.xml')

    expect(status).toBe(1)
    expect(stderr).toMatch(/Void \(inconclusive\) +.*\nShut \(failed\) +.*\nOpen \(passed\) +plans\/later/)
    expect(read('all.xml').match(/<testsuite /g)).toHaveLength(3)
  })

  it('are all read before anything is sent', () => {
    const { status, stderr } = jolt('run', ...plans('smoke', 'wrong'), '--out', 'never')

    expect(status).toBe(2)
    expect(stderr).toMatch(/wrong\.gate\.yaml:2/)
    expect(existsSync(join(folder, 'never'))).toBe(false)
  })

  it('have no single JSON file', () => {
    const { status, stderr } = jolt('run', ...plans('smoke', 'later'), '--json', 'one.json')

    expect(status).toBe(2)
    expect(stderr).toContain('--json is for one plan: --out FOLDER keeps it of each')
  })
})

describe('a void run', () => {
  it.each([
    ['fail', 3],
    ['pass', 0],
  ])('with --on-void %s ends with %i', (what, code) => {
    const { status, stdout } = jolt('run', ...plans('void'), '--on-void', what)

    expect(status).toBe(code)
    expect(stdout).toContain('Void (inconclusive)')
  })
})

describe('docs/pipelines.md', () => {
  it('has a function for any runner with a POSIX shell, and it opens and shuts', () => {
    const [, script = ''] =
      /```sh\n(jolt_gate\(\) \{[^]*?\n\})\n```/.exec(readFileSync(join(root, 'docs/pipelines.md'), 'utf8')) ?? []
    const bin = join(folder, 'node_modules/.bin')
    mkdirSync(bin, { recursive: true })
    writeFileSync(join(bin, 'jolt-gate'), `#!/bin/sh\nexec ${process.execPath} ${command} "$@"\n`, { mode: 0o755 })
    const npm = (code: number) => {
      writeFileSync(join(folder, 'npm'), `#!/bin/sh\nexit ${String(code)}\n`, { mode: 0o755 })
    }
    npm(0)
    const gate = (plan: string) =>
      spawnSync('sh', ['-euc', `${script}\njolt_gate ${plan}\necho promoted`], {
        cwd: folder,
        encoding: 'utf8',
        env: { PATH: `${folder}:${process.env['PATH'] ?? ''}` },
      })

    expect(script.split('\n').length).toBeLessThanOrEqual(10)
    expect(gate('plans/smoke.gate.yaml')).toMatchObject({
      status: 0,
      stdout: expect.stringContaining('promoted') as string,
    })
    const shut = gate('plans/shut.gate.yaml')
    expect(shut.status).toBe(1)
    expect(shut.stdout).not.toContain('promoted')
    expect(execFileSync('ls', [join(folder, 'gate-reports')], { encoding: 'utf8' })).toContain('junit.xml')
    // An install that failed is no verdict.
    npm(1)
    const unmade = gate('plans/smoke.gate.yaml')
    expect(unmade.status).toBe(2)
    expect(unmade.stdout).not.toContain('promoted')
    // Nothing bare asks a registry for a package of that name.
    const pages = readdirSync(join(root, 'docs')).flatMap((name) => (name.endsWith('.md') ? [`docs/${name}`] : []))
    for (const page of ['README.md', ...pages])
      expect(readFileSync(join(root, page), 'utf8'), page).not.toMatch(/npx (--no-install )?jolt-gate/)
  })
})
