import { execFile, execFileSync } from 'node:child_process'
import { cpSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { promisify } from 'node:util'
import { startFerries } from '@jolt-gate/stand-in-ferries'
import { afterAll, beforeAll, expect, it } from 'vitest'

const room = fileURLToPath(new URL('..', import.meta.url))
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-install-'))
let ferries: Awaited<ReturnType<typeof startFerries>>
afterAll(async () => {
  await ferries.stop()
  rmSync(folder, { recursive: true, force: true })
})

beforeAll(async () => {
  ferries = await startFerries()
  // What is packed is the bundle that these tests run, so that two of them never write to one folder.
  for (const part of ['bin', 'package.json']) cpSync(join(room, part), join(folder, 'room', part), { recursive: true })
  cpSync(process.env['JOLT_GATE_TEST_BUNDLE'] ?? '', join(folder, 'room/bundle'), { recursive: true })
  execFileSync(process.execPath, [join(room, 'scripts/types.mjs'), join(folder, 'room/bundle')])
  const npm = (args: string[], cwd: string) => execFileSync('npm', [...args, '--offline'], { cwd, stdio: 'ignore' })
  npm(['pack', '--ignore-scripts', '--pack-destination', folder], join(folder, 'room'))
  const [tarball = ''] = readdirSync(folder).filter((file) => file.endsWith('.tgz'))
  rmSync(join(folder, 'room'), { recursive: true })
  writeFileSync(join(folder, 'package.json'), '{}')
  npm(['install', `./${tarball}`, '--no-audit', '--no-fund'], folder)
  const plan = `jolt: 1
name: Installed
target: ${ferries.origin}
values: { party: { whole: 1 to 4 } }
journeys:
  a:
    steps:
      - call: fares.ts#quote
        with: { party: "{party}" }
        keep: { amount: json $.amount }
      - send: GET /health
        check: [status is 200]
load:
  - { phase: p, rate: 5/s, for: 1s }
`
  writeFileSync(join(folder, 'installed.gate.yaml'), plan)
  writeFileSync(
    join(folder, 'fares.ts'),
    'export const quote = ({ party }: { party: number }) => ({ amount: party * 12 })\n',
  )
})

it('installs from one file into an empty folder, without a registry, and runs there', async () => {
  const command = (...args: string[]) =>
    new Promise<string>((resolve) =>
      execFile('npx', ['--no-install', 'jolt-gate', ...args], { cwd: folder }, (_, stdout) => resolve(stdout)),
    )

  expect(await command('--version')).toBe('0.1.0\n')
  expect(await command('run', 'installed.gate.yaml')).toMatch(/^Open \(passed\)/m)
  expect(readdirSync(join(folder, 'node_modules')).filter((name) => !name.startsWith('.'))).toEqual(['jolt-gate'])
  const files = readdirSync(join(folder, 'node_modules/jolt-gate'), { recursive: true, encoding: 'utf8' })
  const bytes = files.reduce((sum, file) => sum + statSync(join(folder, 'node_modules/jolt-gate', file)).size, 0)
  expect(bytes).toBeLessThan(15e6)
})

it('is a library with types, too: a program reads a plan, runs it, judges and reports', async () => {
  const program = `import { judge, readPlan, report, runPlan, UsageError, type RunResult } from 'jolt-gate'
const { isValid, journeys, lengthMs } = readPlan('installed.gate.yaml')
const result: RunResult = await runPlan('installed.gate.yaml', { labels: { reason: 'a test' }, seed: 7 })
// @ts-expect-error -- no verdict is called so
if (result.verdict === 'passed') throw new Error()
const p95: number | undefined = result.steps[0]?.responseTime?.percentiles['95']
const fault = await runPlan('installed.gate.yaml', { set: { none: '1' } }).catch((error: unknown) => error)
const { verdict, exitCode, mayGoOn } = judge(result)
console.log(
  JSON.stringify({
    ...{ isValid, journeys, lengthMs, verdict, exitCode, mayGoOn, labels: result.labels, seed: result.plan.seed },
    ...{ isMeasured: typeof p95 === 'number', isTold: fault instanceof UsageError },
    reports: [report(result, 'junit').slice(0, 5), report(result, 'markdown').includes('Open (passed)')],
  }),
)
`
  writeFileSync(join(folder, 'use.mts'), program)
  const tsc = fileURLToPath(new URL('../../node_modules/typescript/bin/tsc', import.meta.url))
  const how = ['--strict', '--module', 'nodenext', '--target', 'es2023', '--lib', 'es2023,dom', '--ignoreConfig']

  execFileSync(process.execPath, [tsc, ...how, 'use.mts'], { cwd: folder, stdio: 'inherit' })
  // The service answers in this process meanwhile.
  const { stdout: said } = await promisify(execFile)(process.execPath, ['use.mjs'], { cwd: folder })

  expect(JSON.parse(said)).toEqual({
    ...{ isValid: true, journeys: ['a'], lengthMs: 1000, verdict: 'open', exitCode: 0, mayGoOn: true },
    ...{ labels: { reason: 'a test' }, seed: 7, isMeasured: true, isTold: true, reports: ['<?xml', true] },
  })
})
