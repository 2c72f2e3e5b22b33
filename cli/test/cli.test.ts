import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { command, ferries, jolt, out, planFile, target } from './command.js'

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
  it('says how often a run must be made to be held to a baseline', async () => {
    const file = planFile(
      'held.gate.yaml',
      `jolt: 1\nname: Held\ntarget: ${ferries.origin}\njourneys:\n  a:\n    steps:\n      - send: GET /health\nload:\n  - { phase: p, rate: 20/s, for: 9s }\ngates:\n  - p95 response time at most 110 % of baseline\n`,
    )
    expect((await jolt(['preview', file])).stdout).toMatch(/p95 response time at most 110 % of baseline +1 +9\n/)
  })

  it('tells the phases and the totals', async () => {
    const { code, stdout } = await jolt(['preview', 'plans/smoke.gate.yaml'])

    expect(code).toBe(0)
    expect(stdout).toMatch(/visit +constant +0:00 +0:08 +8\/s +64/)
    expect(stdout).toMatch(/64 arrivals, about 128 requests/)
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
