import { execFileSync, spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { startFerries, type Ferries } from '@jolt-gate/stand-in-ferries'
import { HostWatch } from '../../engine/test/host.js'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'

const command = join(process.env['JOLT_GATE_TEST_BUNDLE'] ?? '', 'main.js')
const demo = fileURLToPath(new URL('../../demo/', import.meta.url))
const out = mkdtempSync(join(tmpdir(), 'jolt-gate-cli-'))
const secrets = { JOLT_SECRET_USER: 'purser', JOLT_SECRET_PASSWORD: 'grey-gull-9' }
let ferries: Ferries
let target: string

beforeAll(async () => {
  ferries = await startFerries()
  // The demo's plans with their target at the port of this test's stand-in.
  target = join(out, 'repository')
  for (const folder of ['plans', 'targets', 'steps']) mkdirSync(join(target, folder), { recursive: true })
  for (const file of ['plans/smoke.gate.yaml', 'plans/overload.gate.yaml', 'steps/search.steps.yaml'])
    writeFileSync(join(target, file), readFileSync(join(demo, file)))
  writeFileSync(
    join(target, 'targets/harbour.target.yaml'),
    readFileSync(join(demo, 'targets/harbour.target.yaml'), 'utf8').replace(
      /^origin: .*$/m,
      `origin: ${ferries.origin}`,
    ),
  )
})
afterAll(async () => {
  await ferries.stop()
  rmSync(out, { recursive: true, force: true })
})

interface Ended {
  code: number | null
  stdout: string
  stderr: string
  /** Whether the kernel says that the host took the processor away meanwhile. */
  wasHostBusy: boolean
}
function jolt(args: string[], options: { environment?: Record<string, string>; stopOn?: RegExp } = {}): Promise<Ended> {
  const watch = new HostWatch()
  const child = spawn(process.execPath, [command, ...args], {
    cwd: target,
    // A pipeline's own wish for colours must not reach what is compared here.
    env: { PATH: process.env['PATH'] ?? '', HOME: out, ...(options.environment ?? secrets) },
  })
  let [stdout, stderr] = ['', '']
  child.stdout.on('data', (chunk: Buffer) => (stdout += chunk.toString()))
  child.stderr.on('data', (chunk: Buffer) => {
    stderr += chunk.toString()
    if (options.stopOn?.test(stderr) !== true) return
    child.kill('SIGINT')
    delete options.stopOn
  })
  return new Promise((resolve) =>
    child.on('close', (code) => resolve({ code, stdout, stderr, wasHostBusy: watch.wasBusy({ ownIsCounted: false }) })),
  )
}
/** How a run ends; where the kernel says that the host took the processor away it may be void, with that reason. */
function expectEnd({ code, stdout, wasHostBusy }: Ended, verdict: string, expected: number): string {
  if (wasHostBusy && /^Void \(inconclusive\): .*(late at p99|could not keep up|busy over five seconds)/m.test(stdout)) {
    expect(code).toBe(3)
    return 'void'
  }
  expect(stdout.toLowerCase()).toMatch(new RegExp(`^${verdict}( \\(\\w+\\))?(:|$)`, 'm'))
  expect(code).toBe(expected)
  return verdict
}
function planFile(name: string, text: string): string {
  writeFileSync(join(target, name), text)
  return name
}

describe('validate', () => {
  it('finds the plans of the demo valid', async () => {
    expect(await jolt(['validate', 'plans/smoke.gate.yaml', 'plans/overload.gate.yaml'])).toMatchObject({
      code: 0,
      stderr: '',
    })
  })

  it.each([
    ['a brace', 'json: { a: {b} }', 8],
    ['a split sentence', 'check:\n          - body contains "a: b"', 9],
    ['a cut sentence', 'check:\n          - body contains "a #b"', 9],
    ['a leading zero', 'json: { a: 007 }', 8],
  ])('ends with 2 and its line for %s', async (_, piece, line) => {
    const file = planFile(
      'trap.gate.yaml',
      `jolt: 1\nname: Trap\ntarget: ${ferries.origin}\njourneys:\n  a:\n    steps:\n      - send: POST /x\n        ${piece}\nload:\n  - { phase: p, rate: 1/s, for: 1s }\n`,
    )

    const { code, stderr } = await jolt(['validate', file])

    expect(code).toBe(2)
    expect(stderr).toMatch(new RegExp(`^trap\\.gate\\.yaml:${line}:\\d+: error: `))
  })

  it('ends with 2 for what is not there', async () => {
    expect(await jolt(['validate', 'none.gate.yaml'])).toMatchObject({
      code: 2,
      stderr: 'none.gate.yaml: no such file\n',
    })
    expect((await jolt(['run'])).code).toBe(2)
    expect((await jolt(['chek', 'x'])).code).toBe(2)
  })
})

describe('preview', () => {
  it('tells the phases and the totals', async () => {
    const { code, stdout } = await jolt(['preview', 'plans/smoke.gate.yaml'])

    expect(code).toBe(0)
    expect(stdout).toMatch(/visit +constant +0:00 +0:08 +8\/s +64/)
    expect(stdout).toMatch(/64 arrivals, about 128 requests/)
  })
})

describe('run', () => {
  it('of the smoke plan ends with 0, and writes every report', async () => {
    const [json, junit, markdown] = ['result.json', 'junit.xml', 'report.md'].map((name) => join(out, name))

    const ended = await jolt([
      'run',
      'plans/smoke.gate.yaml',
      '--json',
      json ?? '',
      '--junit',
      junit ?? '',
      '--markdown',
      markdown ?? '',
    ])

    const verdict = expectEnd(ended, 'open', 0)
    const result: unknown = JSON.parse(readFileSync(json ?? '', 'utf8'))
    expect(result).toMatchObject({
      jolt: 1,
      verdict,
      totals: { arrivalsDue: 64 },
      plan: { file: 'plans/smoke.gate.yaml' },
    })
    expect(readFileSync(junit ?? '', 'utf8')).toMatch(verdict === 'open' ? /tests="4" failures="0"/ : /<testsuite /)
    expect(ended.stderr).toMatch(/^Smoke.* \(plans\/smoke\.gate\.yaml.*\) against harbour \(http:.*\), run \w+\n/)
    expect(ended.stderr).toMatch(/written: .*result\.json/)
    expect(readFileSync(markdown ?? '', 'utf8')).toMatch(/^## (Open \(passed\)|Void \(inconclusive\)): Smoke/)
  })

  it('of the breaching plan ends with 1', async () => {
    expectEnd(await jolt(['run', 'plans/overload.gate.yaml']), 'shut', 1)
  })

  it('ends with 4 on SIGINT, with its report written', async () => {
    const json = join(out, 'stopped.json')

    const { code } = await jolt(['run', 'plans/smoke.gate.yaml', '--json', json], { stopOn: /^setup$/m })

    expect(code).toBe(4)
    expect(JSON.parse(readFileSync(json, 'utf8'))).toMatchObject({ verdict: 'stopped', reasons: ['stopped by SIGINT'] })
  })

  it('ends with 2, sending nothing, without its secrets or for another machine', async () => {
    expect(await jolt(['run', 'plans/smoke.gate.yaml'], { environment: {} })).toMatchObject({
      code: 2,
      stderr: 'the target needs secrets: set JOLT_SECRET_USER and JOLT_SECRET_PASSWORD\n',
    })
    const elsewhere = 'origin: http://ferries.example\nvalues: { harbour: OSTREY }\nsecrets: [user, password]\n'
    writeFileSync(join(target, 'targets/away.target.yaml'), elsewhere)
    const away = await jolt(['run', 'plans/smoke.gate.yaml', '--target', 'away'])
    expect(away.code).toBe(2)
    expect(away.stderr).toMatch(/only with a permission in its target file and proof of control/)
  })

  it('is shut for a target that cannot be reached', async () => {
    const file = planFile(
      'away.gate.yaml',
      'jolt: 1\nname: Away\ntarget: http://127.0.0.1:9\njourneys:\n  a:\n    steps:\n      - send: GET /\nload:\n  - { phase: p, rate: 5/s, for: 1s }\n',
    )

    const { code, stdout } = await jolt(['run', file])

    expect(code).toBe(1)
    expect(stdout).toMatch(/^Shut \(failed\): the target did not answer/m)
  })

  it('of a URL makes the load that is asked for, and every report', async () => {
    const [html, csv, json] = ['url.html', 'url.csv', 'url.json'].map((name) => join(out, name))
    const url = `${ferries.origin}/health?x={y}`

    const ended = await jolt([
      'run',
      url,
      '--users',
      '2',
      '--iterations',
      '10',
      '--html',
      html ?? '',
      '--csv',
      csv ?? '',
      '--json',
      json ?? '',
    ])

    expectEnd(ended, 'open', 0)
    expect(JSON.parse(readFileSync(json ?? '', 'utf8'))).toMatchObject({ totals: { requests: 20, failedRequests: 0 } })
    expect(readFileSync(html ?? '', 'utf8')).toMatch(/^<!doctype html>/)
    expect(readFileSync(csv ?? '', 'utf8')).toMatch(/^second,/)
  })

  it('of a URL is held to the gates of the command line, and says what holds its users back', async () => {
    const load = ['--users', '1', '--iterations', '3', '--wait', '10ms']
    const shut = await jolt(['run', `${ferries.origin}/health`, ...load, '--gate', 'requests at least 1000'])

    expect(shut.code).toBe(1)
    expect(shut.stderr).toContain('1 user, each waiting 10ms after every answer')
    expect(shut.stdout).toMatch(/breached +requests at least 1000/)
    expect(shut.stdout).toMatch(/held, default +failed requests at most 1 %/)
  })

  it('of a URL where everything fails is shut, though nobody asked for a gate', async () => {
    const ended = await jolt(['run', `${ferries.origin}/no/such/page`, '--users', '1', '--iterations', '5'])

    expect(ended.code).toBe(1)
    expect(ended.stdout).toContain('no request passed: all 5 measured requests failed (status 5)')
  })

  it('sets a value of the plan as the type that it has, and refuses one that is none', async () => {
    const file = planFile(
      'typed.gate.yaml',
      `jolt: 1\nname: Typed\ntarget: ${ferries.origin}\nvalues: { people: { whole: 1 to 4 } }\njourneys:\n  a:\n    steps:\n      - send: POST /holds\n        json: { people: "{people}" }\n        check: [status is 401]\nload:\n  - { phase: p, starts: 1, for: 1s }\n`,
    )

    const typed = await jolt(['rehearse', file, '--set', 'people=7', '--json', '-'])
    const refused = await jolt(['rehearse', file, '--set', 'people=many'])

    expect(typed.stdout).toContain('{\\"people\\":7}')
    expect(refused).toMatchObject({ code: 2, stderr: expect.stringContaining('"many" is none') as string })
  })

  it('of a URL needs a load, and a plan says its own', async () => {
    expect(await jolt(['run', ferries.origin])).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/--rate 5\/s --for 30s/) as string,
    })
    expect((await jolt(['run', ferries.origin, '--rate', '5', '--for', '1s'])).stderr).toMatch(
      /--rate: expected a rate/,
    )
    expect((await jolt(['run', 'plans/smoke.gate.yaml', '--rate', '5/s'])).stderr).toMatch(/a plan has its own load/)
    expect((await jolt(['run', 'http://ferries.example/', '--users', '1', '--iterations', '1'])).code).toBe(2)
  })

  it('is held to a baseline, scaled, and compared with it', async () => {
    const file = planFile(
      'base.gate.yaml',
      `jolt: 1\nname: Base\ntarget: ${ferries.origin}\njourneys:\n  a:\n    steps:\n      - send: GET /health\nload:\n  - { phase: p, rate: 30/s, for: 2s }\ngates:\n  - median response time at most 900 % of baseline or 300 ms\n`,
    )
    const [first, second] = ['first.json', 'second.json'].map((name) => join(out, name))
    await jolt(['run', file, '--json', first ?? ''])

    const held = await jolt(['run', file, '--baseline', first ?? '', '--json', second ?? ''])
    expectEnd(held, 'open', 0)
    expect(JSON.parse(readFileSync(second ?? '', 'utf8'))).toMatchObject({
      gates: [{ status: 'held' }, { isDefault: true }, { isDefault: true }],
    })

    const scaled = await jolt(['run', file, '--baseline', first ?? '', '--scale', '0.5'])
    expect(scaled.code).toBe(2)
    expect(scaled.stderr).toMatch(/no baseline for this run: it ran at scale 1/)

    const markdown = join(out, 'comparison.md')
    const compared = await jolt(['compare', first ?? '', second ?? '', '--markdown', markdown])
    expect(compared.code).toBe(0)
    expect(compared.stdout).toMatch(/GET \/health +median/)
    expect(compared.stdout).toMatch(/permutation test.*Holm/)
    // Two seconds are too few for anything to be significant, and that is said.
    expect(compared.stdout).toMatch(/Nothing could be tested/)
    expect((await jolt(['compare', first ?? '', second ?? '', '--smallest', '5'])).stderr).toMatch(/such as "5 %"/)
    expect(readFileSync(markdown, 'utf8')).toMatch(/\| GET \/health \| median \|/)
    expect((await jolt(['compare', file, second ?? ''])).stderr).toMatch(/this is not JSON/)
  })

  it('is made again while it is void, and as often as the median of its gates needs', async () => {
    const file = planFile(
      'again.gate.yaml',
      `jolt: 1\nname: Again\ntarget: ${ferries.origin}\njourneys:\n  a:\n    steps:\n      - send: GET /health\nload:\n  - { phase: p, rate: 30/s, for: 1s }\ngates:\n  - p99 response time under 900 ms\n`,
    )
    const json = join(out, 'again.json')

    // p99 needs 299 samples, and gets 30.
    const median = await jolt(['run', file, '--repeat', '3', '--retry-void', '1', '--json', json])
    expect(median.code).toBe(3)
    expect(median.stderr.match(/running again/g)).toHaveLength(1)
    expect(median.stderr).toMatch(/1 of 3: Void.*[^]*2 of 3: Void/)
    expect(JSON.parse(readFileSync(json, 'utf8'))).toMatchObject({
      verdict: 'void',
      repeats: [{ verdict: 'void' }, { verdict: 'void' }, { verdict: 'void' }],
    })
    expect(await jolt(['run', file, '--repeat', '2'])).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('odd number') as unknown,
    })
  })

  it('writes one document to standard output when asked for -', async () => {
    const file = planFile(
      'short.gate.yaml',
      `jolt: 1\nname: Short\ntarget: ${ferries.origin}\njourneys:\n  a:\n    steps:\n      - send: GET /health\nload:\n  - { phase: p, rate: 5/s, for: 1s }\n`,
    )

    const { stdout } = await jolt(['run', file, '--json', '-'])

    expect(JSON.parse(stdout)).toMatchObject({ jolt: 1, plan: { name: 'Short' } })
  })
})

describe('rehearse', () => {
  it('shows each exchange with its checks, and masks secrets', async () => {
    const json = join(out, 'rehearsal.json')

    const { code, stdout } = await jolt(['rehearse', 'plans/smoke.gate.yaml', '--json', json])

    expect(code).toBe(0)
    expect(stdout).toMatch(/search sailings {2}.*passed/)
    expect(stdout).toMatch(/held {4}status is 200/)
    expect(stdout).not.toMatch(/grey-gull-9/)
    const rehearsal = JSON.parse(readFileSync(json, 'utf8')) as {
      passed: boolean
      steps: { timing: Record<string, number> }[]
    }
    expect(rehearsal.passed).toBe(true)
    // The parts of a request follow one another.
    for (const {
      timing: { total = 0, ...parts },
    } of rehearsal.steps)
      expect(Object.values(parts).reduce((sum, part) => sum + part, 0)).toBeLessThanOrEqual(total + 0.01)
    expect((await jolt(['preview', 'plans/smoke.gate.yaml', '--last', json])).stdout).toMatch(/users in flight/)
  })

  it('shows what a failed check found, and ends with 1', async () => {
    const file = planFile(
      'failing.gate.yaml',
      `jolt: 1\nname: F\ntarget: ${ferries.origin}\njourneys:\n  a:\n    steps:\n      - send: GET /health\n        check: ["json $.status is \\"asleep\\""]\nload:\n  - { phase: p, rate: 1/s, for: 1s }\n`,
    )
    const { code, stdout } = await jolt(['rehearse', file])

    expect(code).toBe(1)
    expect(stdout).toMatch(/failed {2}json \$\.status is "asleep": found well/)
    expect((await jolt(['rehearse', file, '--journey', 'b'])).stderr).toMatch(/it has "a"/i)
  })
})

describe('import', () => {
  it('writes a plan from a description, with its schemas, which holds in a rehearsal', async () => {
    const api = `${ferries.origin}/openapi.json`
    const file = planFile('ferries.openapi.json', await (await fetch(api)).text())
    const folder = join(out, 'imported')

    const made = await jolt([
      'import',
      file,
      '--name',
      'Ferries',
      '--folder',
      folder,
      '--origin',
      ferries.origin,
      '--operations',
      'GET /health,GET /metrics,POST /sessions',
    ])

    expect(made).toMatchObject({
      stderr: '',
      code: 0,
      stdout: expect.stringMatching(/3 requests: .*ferries.gate.yaml/) as string,
    })
    const again = await jolt(['import', file, '--name', 'Ferries', '--folder', folder, '--origin', ferries.origin])
    expect(again).toMatchObject({ code: 2, stderr: expect.stringMatching(/exists already/) as string })
    const plan = join(folder, 'plans/ferries.gate.yaml')
    expect(await jolt(['rehearse', plan, '--quiet'])).toMatchObject({
      code: 0,
      stdout: expect.stringMatching(/Passed: 3 steps/) as string,
    })
  })

  it('takes the URL of a description', async () => {
    const folder = join(out, 'described')
    await jolt(['import', `${ferries.origin}/openapi.json`, '--name', 'Described', '--folder', folder])

    const plan = readFileSync(join(folder, 'plans/described.gate.yaml'), 'utf8')
    expect(plan).toContain('send: GET /sailings')
    expect(readFileSync(join(folder, 'targets/described.target.yaml'), 'utf8')).toContain(`origin: ${ferries.origin}`)
  })

  it('takes a URL, and a command line of curl with its secrets taken out', async () => {
    const folder = join(out, 'lines')
    await jolt(['import', `${ferries.origin}/health`, '--name', 'Health', '--folder', folder])
    const { stdout } = await jolt([
      'import',
      `curl -u ida:low-tide ${ferries.origin}/health`,
      '--name',
      'Signed',
      '--folder',
      folder,
    ])

    expect((await jolt(['validate', join(folder, 'plans/health.gate.yaml')])).code).toBe(0)
    expect(stdout).toMatch(/set JOLT_SECRET_USER and JOLT_SECRET_PASSWORD/)
    expect((await jolt(['import', 'nothing.har'])).stderr).toMatch(/no such file/)
    expect((await jolt(['import', planFile('hello.txt', 'hello')])).stderr).toMatch(/is not a HAR file/)
  })
})

describe('the other verbs', () => {
  it('write profiles that are valid', async () => {
    const { stdout } = await jolt(['profile', 'spike', '--usual', '5/s', '--peak', '40/s', '--for', '10m'])
    const file = planFile(
      'spike.gate.yaml',
      `jolt: 1\nname: Spike\ntarget: ${ferries.origin}\njourneys:\n  a:\n    steps:\n      - send: GET /health\n${stdout}`,
    )

    expect((await jolt(['validate', file])).code).toBe(0)
    expect((await jolt(['preview', file])).stdout).toMatch(/spike +constant +3:00 +4:00 +40\/s +2400/)
    expect((await jolt(['profile', 'soak', '--usual', '5'])).stdout).toMatch(/users: 5, for: 9m 48s/)
    expect((await jolt(['profile', 'stress', '--usual', '5/s', '--peak', '9 users'])).code).toBe(2)
  })

  it.each([
    [
      'bash',
      'COMP_WORDS=(jolt-gate re); COMP_CWORD=1; _jolt_gate; echo "${COMPREPLY[@]}"; COMP_WORDS=(jolt-gate run --ba); COMP_CWORD=2; _jolt_gate; echo "${COMPREPLY[@]}"',
    ],
    ['fish', 'complete -C "jolt-gate re" | cut -f1; complete -C "jolt-gate run --ba"'],
    // Its completions are made on a terminal alone: each is asked for what it would add.
    [
      'zsh',
      'compadd() { print -r -- ${(M)@:#$words[CURRENT]*} }; _describe() { for verb in $verbs; do compadd -- ${verb%%:*}; done | grep .; }; words=(jolt-gate re) CURRENT=2; _jolt_gate; words=(jolt-gate run --ba) CURRENT=3; _jolt_gate',
    ],
  ])('complete in %s', async (shell, ask) => {
    const { stdout } = await jolt(['completion', shell])
    const load = shell === 'zsh' ? 'autoload -U compinit; compinit -u -D\n' : ''

    expect(execFileSync(shell, ['-c', `${load}${stdout}\n${ask}`], { encoding: 'utf8' })).toBe('rehearse\n--baseline\n')
  })

  it('keep their exit code and say no more when nobody reads on, or nothing can be written', () => {
    const piped = (tail: string) =>
      execFileSync('bash', ['-c', `node ${command} preview plans/smoke.gate.yaml ${tail}; echo "$?"`], {
        ...{ cwd: target, encoding: 'utf8' as const },
      })

    expect(piped('2>&1 | (exec <&-; sleep 1)')).toBe('0\n')
    expect(piped('2>&1 >/dev/full')).toMatch(/^standard output cannot be written: ENOSPC.*\n5\n$/)
    expect(piped('>/dev/null; node ' + command + ' validate - < plans/smoke.gate.yaml')).toBe('-: valid\n0\n')
  })

  it('help with examples', async () => {
    for (const verb of ['validate', 'preview', 'rehearse', 'run', 'compare', 'profile'])
      expect((await jolt([verb, '--help'])).stdout).toMatch(/Examples?:\n {2}jolt-gate /)
  })

  it('calibrate this machine, and results show it', async () => {
    const json = join(out, 'calibration.json')

    expect((await jolt(['calibrate', '--json', json])).code).toBe(0)
    const calibration = JSON.parse(readFileSync(json, 'utf8')) as { requestsPerSecond: number; timing: unknown[] }
    expect(calibration.requestsPerSecond).toBeGreaterThan(500)
    expect(calibration.timing).toHaveLength(4)
    const { stdout } = await jolt([
      'run',
      `${ferries.origin}/health`,
      '--users',
      '1',
      '--iterations',
      '1',
      '--json',
      '-',
    ])
    expect(JSON.parse(stdout)).toMatchObject({
      generator: { calibration: { requestsPerSecond: calibration.requestsPerSecond } },
    })
  })
})

describe('validate --fix', () => {
  it('rewrites a plan of the first edition, which is valid then, and leaves a new one alone', async () => {
    const file = planFile(
      'old.gate.yaml',
      `jolt: 1\nname: Old # kept\ntarget: ${ferries.origin}\njourneys:\n  a:\n    share: 1\n    steps:\n      - send: GET /health\nload:\n  - { phase: p, users: 2, passes: 3 }\n`,
    )

    expect((await jolt(['validate', file])).stderr).toMatch(
      /old\.gate\.yaml:6:5: error: "share" is called "weight" now/,
    )
    expect(await jolt(['validate', '--fix', file])).toMatchObject({
      code: 0,
      stdout: 'old.gate.yaml: 2 changes written\nold.gate.yaml: valid\n',
    })
    expect(readFileSync(join(target, file), 'utf8')).toMatch(/# kept[^]*weight: 1[^]*iterations: 3/)
    expect((await jolt(['validate', '--fix', file])).stdout).toBe('old.gate.yaml: valid\n')
  })
})
