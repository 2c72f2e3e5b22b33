// What the tests of the command begin with: the bundled command, the stand-in, and the demo's plans in a folder.
import { spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { startFerries, type Ferries } from '@jolt-gate/stand-in-ferries'
import { HostWatch } from '../../engine/test/host.js'
import { afterAll, beforeAll, expect } from 'vitest'

export const command = join(process.env['JOLT_GATE_TEST_BUNDLE'] ?? '', 'main.js')
export const demo = fileURLToPath(new URL('../../demo/', import.meta.url))
export const out = mkdtempSync(join(tmpdir(), 'jolt-gate-cli-'))
export const secrets = { JOLT_SECRET_USER: 'purser', JOLT_SECRET_PASSWORD: 'grey-gull-9' }
export let ferries: Ferries
export let target: string

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

export interface Ended {
  code: number | null
  stdout: string
  stderr: string
  /** Whether the kernel says that the host took the processor away meanwhile. */
  wasHostBusy: boolean
}
export function jolt(
  args: string[],
  options: { environment?: Record<string, string>; stopOn?: RegExp; signal?: NodeJS.Signals } = {},
): Promise<Ended> {
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
    child.kill(options.signal ?? 'SIGINT')
    delete options.stopOn
  })
  return new Promise((resolve) =>
    child.on('close', (code) => resolve({ code, stdout, stderr, wasHostBusy: watch.wasBusy({ ownIsCounted: false }) })),
  )
}
/** How a run ends; where the kernel says that the host took the processor away it may be void, with that reason. */
export function expectEnd({ code, stdout, wasHostBusy }: Ended, verdict: string, expected: number): string {
  if (wasHostBusy && /^Void \(inconclusive\)\n(.*\n)*? {2}(.*could not keep up|undecided: )/m.test(stdout)) {
    expect(code).toBe(3)
    return 'void'
  }
  expect(stdout.toLowerCase()).toMatch(new RegExp(`^${verdict}( \\(\\w+\\))?(;|$)`, 'm'))
  expect(code).toBe(expected)
  return verdict
}
export function planFile(name: string, text: string): string {
  writeFileSync(join(target, name), text)
  return name
}
