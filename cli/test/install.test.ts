import { execFile, execFileSync } from 'node:child_process'
import { cpSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { startFerries } from '@jolt-gate/stand-in-ferries'
import { afterAll, expect, it } from 'vitest'

const room = fileURLToPath(new URL('..', import.meta.url))
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-install-'))
afterAll(() => {
  rmSync(folder, { recursive: true, force: true })
})

it('installs from one file into an empty folder, without a registry, and runs there', async () => {
  // What is packed is the bundle that these tests run, so that two of them never write to one folder.
  for (const part of ['bin', 'package.json']) cpSync(join(room, part), join(folder, 'room', part), { recursive: true })
  cpSync(process.env['JOLT_GATE_TEST_BUNDLE'] ?? '', join(folder, 'room/bundle'), { recursive: true })
  const npm = (args: string[], cwd: string) => execFileSync('npm', [...args, '--offline'], { cwd, stdio: 'ignore' })
  npm(['pack', '--ignore-scripts', '--pack-destination', folder], join(folder, 'room'))
  const [tarball = ''] = readdirSync(folder).filter((file) => file.endsWith('.tgz'))
  rmSync(join(folder, 'room'), { recursive: true })
  writeFileSync(join(folder, 'package.json'), '{}')
  npm(['install', `./${tarball}`, '--no-audit', '--no-fund'], folder)
  const ferries = await startFerries()
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

  const command = (...args: string[]) =>
    new Promise<string>((resolve) =>
      execFile('npx', ['--no-install', 'jolt-gate', ...args], { cwd: folder }, (_, stdout) => resolve(stdout)),
    )

  expect(await command('--version')).toBe('0.1.0\n')
  expect(await command('run', 'installed.gate.yaml')).toMatch(/^Open \(passed\)/m)
  await ferries.stop()
  expect(readdirSync(join(folder, 'node_modules')).filter((name) => !name.startsWith('.'))).toEqual(['jolt-gate'])
  const files = readdirSync(join(folder, 'node_modules/jolt-gate'), { recursive: true, encoding: 'utf8' })
  const bytes = files.reduce((sum, file) => sum + statSync(join(folder, 'node_modules/jolt-gate', file)).size, 0)
  expect(bytes).toBeLessThan(15e6)
})
