// What ends with which exit code, and what is left behind: a pipeline goes by nothing else.
import { existsSync, lstatSync, mkdirSync, readFileSync, statSync, symlinkSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { jolt, out, planFile, target } from './command.js'

let server: Server
let origin = ''
beforeAll(async () => {
  server = createServer((request, response) => {
    const path = request.url ?? ''
    if (path === '/down') response.writeHead(503).end()
    else if (path === '/forbidden') response.writeHead(403).end()
    else if (path === '/metrics') response.end('# TYPE places_free gauge\nplaces_free 4\n')
    else if (path.startsWith('/api/')) response.writeHead(401, { 'content-type': 'application/json' }).end('{}')
    else response.end('{"ok":true}')
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  origin = `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`
})
afterAll(() => {
  server.closeAllConnections()
  server.close()
})

interface Parts {
  top?: string
  steps?: string
  load?: string
  gates?: string[]
}
function plan(name: string, { top = '', steps = '      - send: GET /ok\n', load, gates = [] }: Parts = {}): string {
  const phases = load ?? '{ phase: p, rate: 20/s, for: 1s }'
  const limits = ['failed requests at most 50 %', ...gates].map((gate) => `  - ${gate}\n`).join('')
  return planFile(
    `plans/${name}.gate.yaml`,
    `jolt: 1\nname: ${name}\ntarget: ${origin}\n${top}journeys:\n  a:\n    steps:\n${steps}load:\n  - ${phases}\ngates:\n${limits}`,
  )
}
const junitOf = (name: string) => readFileSync(join(out, name), 'utf8')

describe('--on-void', () => {
  const passes = async (name: string, parts: Parts) => {
    const junit = join(out, `${name}.xml`)
    const { code } = await jolt(['run', plan(name, parts), '--on-void', 'pass', '--junit', junit])
    return { code, junit: junitOf(`${name}.xml`) }
  }

  it('pass lets gates pass that could not be measured, and JUnit says the same', async () => {
    const { code, junit } = await passes('few', { gates: ['p99.9 response time under 900 ms'] })

    expect(code).toBe(0)
    expect(junit).toMatch(/failures="0" errors="0" skipped="1"/)
    expect(junit).toContain('let pass: p99.9 response time under 900 ms: unmeasured')
  })

  it.each<[string, Parts]>([
    ['setup that failed', { top: 'setup:\n  - send: GET /forbidden\n' }],
    [
      'data that ran out',
      {
        top: 'data:\n  rows: { file: rows.csv, take: once each }\n',
        steps: '      - send: GET /ok{?n}\n        with: { n: "{rows.n}" }\n',
      },
    ],
    ['nothing measured', { load: '{ phase: p, rate: 20/s, for: 1s, measure: no }' }],
    ['iterations that never finish', { top: 'drain: 200ms\n', steps: '      - send: GET /ok\n      - wait: 60s\n' }],
  ])('pass does not let %s pass', async (what, parts) => {
    writeFileSync(join(target, 'rows.csv'), 'n\n1\n2\n')

    const { code, junit } = await passes(what.replaceAll(' ', '-'), parts)

    expect(code).toBe(3)
    expect(junit).toMatch(/<testcase name="verdict: Void \(inconclusive\)"[^>]*>\s*<failure /)
  })

  it('skip ends with 125, which searches over commits take for one that cannot be tested', async () => {
    const few = plan('skipped', { gates: ['p99.9 response time under 900 ms'] })

    expect((await jolt(['run', few, '--on-void', 'skip'])).code).toBe(125)
  })
})

describe('setup', () => {
  it('that the target answers with 5xx is shut', async () => {
    const { code, stdout } = await jolt(['run', plan('down', { top: 'setup:\n  - send: GET /down\n' })])

    expect(code).toBe(1)
    expect(stdout).toMatch(/^Shut \(failed\)\n {2}setup: GET \/down: status 503$/m)
  })
})

describe('a gate of a baseline without one', () => {
  const gates = ['p50 response time at most 900 % of baseline or 900 ms']

  it('stands in the line of the verdict, and is not open where the run is strict', async () => {
    const file = plan('unheld', { gates })

    const usual = await jolt(['run', file])
    const strict = await jolt(['run', file, '--strict'])

    expect(usual.stdout).toMatch(/^Open \(passed\); 1 gate not judged: no baseline; 1 gate borderline$/m)
    expect([usual.code, strict.code]).toEqual([0, 3])
    expect(strict.stdout).toMatch(/^ {2}strict: 1 gate not judged: no baseline$/m)
  })

  it('has its own of a folder of reports, for each plan', async () => {
    const file = plan('held', { gates })
    const folder = join(out, 'baselines')
    await jolt(['run', file, '--out', folder])

    const held = await jolt(['run', file, '--baseline', folder, '--out', folder])
    const other = await jolt(['run', plan('other', { gates }), '--baseline', folder])

    expect(held.stdout).toMatch(/^Open \(passed\); 2 gates borderline$/m)
    expect(held.stdout).toContain('note: a baseline of 1 run: that they differ by 10 % is assumed')
    expect(other.stderr).toContain('no baseline for plans/other.gate.yaml: there is no ')
    expect(other.stdout).toMatch(/1 gate not judged: no baseline/)
  })
})

describe('what could never come to an answer ends with 2, and nothing is sent', () => {
  const targetFile = (more: string) => {
    writeFileSync(join(target, 'targets/told.target.yaml'), `origin: ${origin}\n${more}`)
    return ['--target', 'told']
  }

  it.each([
    [
      'a metric that the target does not have',
      '',
      'p50 metric "free plces" under 9',
      'no metric "free plces". Did you mean "free places"?',
    ],
    [
      'a metric whose family its endpoint does not have',
      'places_fre',
      'p50 metric "free places" under 9',
      'has no family "places_fre". Did you mean "places_free"?',
    ],
  ])('%s', async (_, family, gate, words) => {
    const metrics = `metrics:\n  free places: { url: /metrics, family: ${family || 'places_free'} }\n`

    const { code, stderr } = await jolt(['run', plan('metric', { gates: [gate] }), ...targetFile(metrics)])

    expect(code).toBe(2)
    expect(stderr).toContain(words)
  })

  it('a function that a script does not export', async () => {
    mkdirSync(join(target, 'scripts'), { recursive: true })
    writeFileSync(join(target, 'scripts/fares.ts'), 'export const choose = () => 1\n')
    const steps = '      - send: GET /ok\n      - call: scripts/fares.ts#chose\n'

    const { code, stderr } = await jolt(['run', plan('script', { steps })])

    expect(code).toBe(2)
    expect(stderr).toContain('scripts/fares.ts: it exports no function called chose')
  })

  it('a folder for reports that cannot be made', async () => {
    writeFileSync(join(out, 'a-file'), '')

    const { code, stderr } = await jolt(['run', 'plans/none.gate.yaml', '--out', join(out, 'a-file/reports')])

    expect(code).toBe(2)
    expect(stderr).toMatch(/^--out .*a-file\/reports cannot be made: /)
  })
})

describe('files', () => {
  it('of one plan that is run twice have two names', async () => {
    const file = plan('twice')

    expect((await jolt(['run', file, file, '--out', join(out, 'twice')])).code).toBe(0)

    for (const name of ['plans-twice.json', 'plans-twice-2.json'])
      expect(existsSync(join(out, 'twice', name))).toBe(true)
  })

  it('are written aside; what is no file stays what it is, and a link a link', async () => {
    symlinkSync(join(out, 'linked.json'), join(out, 'link.json'))

    const { code } = await jolt([
      ...['run', plan('aside'), '--json', join(out, 'link.json'), '--csv', '/dev/null', '--html', '/dev/full'],
    ])

    expect(code).toBe(5)
    expect(lstatSync(join(out, 'link.json')).isSymbolicLink()).toBe(true)
    expect(JSON.parse(readFileSync(join(out, 'linked.json'), 'utf8'))).toMatchObject({ verdict: 'open' })
    expect(statSync('/dev/null').isCharacterDevice()).toBe(true)
    expect(statSync('/dev/full').isCharacterDevice()).toBe(true)
  })
})

describe('a run', () => {
  it('is stopped with its teardown when its terminal is closed', async () => {
    const json = join(out, 'hung-up.json')
    const file = plan('hung-up', {
      top: 'setup:\n  - send: GET /ok\nteardown:\n  - send: GET /bye\n',
      load: '{ phase: p, rate: 20/s, for: 30s }',
    })

    const { code } = await jolt(['run', file, '--json', json], { stopOn: /^setup$/m, signal: 'SIGHUP' })

    expect(code).toBe(4)
    expect(JSON.parse(readFileSync(json, 'utf8'))).toMatchObject({
      reasons: ['stopped by SIGHUP'],
      teardown: [{ name: 'GET /bye', passed: true }],
    })
  })

  it('takes a secret from a file, as container platforms mount them', async () => {
    writeFileSync(join(target, 'targets/told.target.yaml'), `origin: ${origin}\nsecrets: [user]\n`)
    writeFileSync(join(out, 'user'), 'purser-7\n')
    const steps = '      - send: GET /ok\n        headers: { x-user: "{secret.user}" }\n'
    const asked = ['run', plan('mounted', { steps }), '--target', 'told']

    expect((await jolt(asked, { environment: { JOLT_SECRET_USER_FILE: join(out, 'user') } })).code).toBe(0)
    const missing = await jolt(asked, { environment: { JOLT_SECRET_USER_FILE: join(out, 'nobody') } })
    expect(missing).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/^the secret in .*nobody cannot be read/) as unknown,
    })
  })

  it('whose token a server refuses says so, and ends as it would', async () => {
    const { code, stderr } = await jolt(['run', plan('refused'), '--to', origin], {
      environment: { JOLT_TOKEN: 'jolt_wrong' },
    })

    expect(code).toBe(0)
    expect(stderr).toContain('JOLT_TOKEN was refused')
  })
})

describe('the end of a log', () => {
  it('is the verdict and why, in at most twelve lines, before the tables', async () => {
    const gates = Array.from({ length: 15 }, (_, index) => `requests at most ${String(index + 1)}`)
    const { code, stdout } = await jolt(['run', plan('many', { gates })])

    expect(code).toBe(1)
    const [answer = '', ...tables] = stdout.split('\n\n')
    expect(answer.split('\n').length).toBeLessThanOrEqual(12)
    expect(answer).toMatch(/^Shut \(failed\); 1 gate borderline\n {2}breached: requests at most 1 /)
    expect(answer).toMatch(/\n {2}and \d+ more, in the reports$/)
    expect(tables.length).toBeGreaterThanOrEqual(2)
    expect(stdout).not.toMatch(/ten times as slow/)
  })

  it('names no length for iterations that end by themselves', async () => {
    const { stderr } = await jolt(['run', plan('made', { load: '{ phase: p, users: 1, iterations: 3 }' })])
    const preview = await jolt(['preview', 'plans/made.gate.yaml'])

    expect(stderr + preview.stdout).not.toMatch(/24:00/)
    expect(preview.stdout).toMatch(/length unknown: iterations end by themselves, at most 1 concurrent user$/m)
  })
})
