import { readFileSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
import { describe, expect, it } from 'vitest'
import { expectEnd, ferries, jolt, out, planFile, target } from './command.js'

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
      stderr:
        'the target needs secrets: set JOLT_SECRET_USER and JOLT_SECRET_PASSWORD, or name files with them in JOLT_SECRET_USER_FILE and JOLT_SECRET_PASSWORD_FILE\n',
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
    expect(stdout).toMatch(/^Shut \(failed\)\n {2}the target did not answer/m)
  })

  it('of a URL makes the load that is asked for, and every report', async () => {
    const [html, csv, json, samples] = ['url.html', 'url.csv', 'url.json', 'url.csv.gz'].map((name) => join(out, name))
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
      '--requests',
      samples ?? '',
    ])

    expectEnd(ended, 'open', 0)
    expect(JSON.parse(readFileSync(json ?? '', 'utf8'))).toMatchObject({ totals: { requests: 20, failedRequests: 0 } })
    const rows = gunzipSync(readFileSync(samples ?? ''))
      .toString()
      .trimEnd()
      .split('\r\n')
    expect(rows).toHaveLength(21)
    expect(rows[0]).toBe('run,due ms,phase,journey,step,ms,outcome,bytes sent,bytes received,trace')
    expect(rows[20]).toMatch(/^[\w-]+,[\d.]+,[^,]+,[^,]+,[^,]+,[\d.]+,passed,\d+,\d+,[0-9a-f]{32}$/)
    expect(readFileSync(html ?? '', 'utf8')).toMatch(/^<!doctype html>/)
    expect(readFileSync(csv ?? '', 'utf8')).toMatch(/^second,/)
  })

  it('refuses a file of requests that cannot be written, and tells a disk that is full without losing the verdict', async () => {
    const [plain, full] = [join(out, 'all.csv'), join(out, 'full.csv.gz')]
    symlinkSync('/dev/full', full)
    const load = ['--users', '1', '--iterations', '3']
    const refused = await jolt(['run', `${ferries.origin}/health`, ...load, '--requests', plain])
    const ended = await jolt(['run', `${ferries.origin}/health`, ...load, '--requests', full])

    expect([refused.code, refused.stderr]).toEqual([2, expect.stringContaining('ends in .csv.gz')])
    expect(ended.stdout).toContain('Open (passed)')
    expect([ended.code, ended.stderr]).toEqual([5, expect.stringContaining('full.csv.gz cannot be written')])
  })

  it('of a URL is held to the gates of the command line, and says what holds its users back', async () => {
    const load = ['--users', '1', '--iterations', '3', '--wait', '10ms']
    const shut = await jolt(['run', `${ferries.origin}/health`, ...load, '--gate', 'requests at least 1000'])

    expect(shut.code).toBe(1)
    expect(shut.stderr).toContain('1 user, each waiting 10ms after every answer')
    expect(shut.stdout).toMatch(/breached +requests at least 1000/)
    expect(shut.stdout).toMatch(/held +failed requests at most 1 % \(borderline\) \(default\)/)
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
    expect(compared.code).toBe(3)
    expect(compared.stdout).toMatch(/GET \/health +median/)
    expect(compared.stdout).toMatch(/permutation test.*Holm/)
    // Two seconds are too few for anything to be significant, and that is said.
    expect(compared.stdout).toMatch(/Nothing could be tested/)
    expect((await jolt(['compare', first ?? '', second ?? '', '--smallest', '5'])).stderr).toMatch(/such as "5 %"/)
    expect(readFileSync(markdown, 'utf8')).toMatch(/\| GET \/health \| median \|/)
    expect((await jolt(['compare', file, second ?? ''])).stderr).toMatch(/this is not JSON/)

    const [a = '', b = ''] = [first, second]
    const again = (path: string, id: string) => {
      writeFileSync(join(out, `${id}.json`), JSON.stringify({ ...JSON.parse(readFileSync(path, 'utf8')), id }))
      return join(out, `${id}.json`)
    }
    const several = await jolt(['compare', a, again(a, 'third'), '--with', b, again(b, 'fourth')])
    expect(several.stdout).toMatch(/Student's t over its own figure of 2 and 2 runs/)
    expect((await jolt(['compare', a, b, b])).stderr).toMatch(/name the later results after --with/)
    expect((await jolt(['compare', a, '--with', b, again(b, 'fifth')])).stderr).toMatch(/each side needs 2 or more/)
    expect((await jolt(['compare', a, a, '--with', b, again(b, 'sixth')])).stderr).toMatch(/is named twice/)
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
    // Another run would get no more.
    expect(median.stderr).not.toMatch(/running again/)
    expect(median.stderr).toMatch(/not run again: another run would be void for the same reasons/)
    expect(median.stdout).toMatch(/too few samples: 30 of 299\): run longer/)
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
