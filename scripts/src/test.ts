// `npm test`: every check, one after another; the last line counts what passed.
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { ensurePrograms } from './debian.js'

interface Step {
  name: string
  command: string[]
  /** Where Vitest writes its counts. */
  report?: string
}

const root = fileURLToPath(new URL('../..', import.meta.url))
const reports = mkdtempSync(join(tmpdir(), 'jolt-gate-test-'))
ensurePrograms(['git', 'mariadbd', 'chromium'])

const vitest = (project: string): Step => {
  const report = join(reports, `${project}.json`)
  return {
    name: project,
    command: [
      'vitest',
      'run',
      '--project',
      project,
      '--reporter=default',
      '--reporter=json',
      `--outputFile.json=${report}`,
    ],
    report,
  }
}
const steps: Step[] = [
  { name: 'lint', command: ['eslint', '.'] },
  { name: 'format', command: ['prettier', '--check', '--log-level', 'warn', '.'] },
  { name: 'types of the pages', command: ['vue-tsc', '--noEmit', '-p', 'web'] },
  { name: 'types of the tests', command: ['tsc', '--noEmit', '-p', 'tsconfig.json'] },
  {
    name: 'import rules',
    command: [
      'depcruise',
      '--config',
      '.dependency-cruiser.cjs',
      'core/src',
      'engine/src',
      'cli/src',
      'server/src',
      'web/src',
      'stand-ins/ferries/src',
      'scripts/src',
    ],
  },
  vitest('core'),
  vitest('web'),
  vitest('engine'),
  vitest('cli'),
  vitest('server'),
  vitest('e2e'),
]

let passed = 0
let failed = 0
for (const step of steps) {
  process.stdout.write(`\n# ${step.name}\n`)
  const began = performance.now()
  const { status } = spawnSync('npx', ['--no-install', ...step.command], {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
  })
  const counts = step.report === undefined ? undefined : countsOf(step.report)
  passed += counts?.passed ?? (status === 0 ? 1 : 0)
  failed += Math.max(counts?.failed ?? 0, status === 0 ? 0 : 1)
  process.stdout.write(
    `# ${step.name}: ${status === 0 ? 'passed' : 'failed'} in ${((performance.now() - began) / 1000).toFixed(1)} s\n`,
  )
}
rmSync(reports, { recursive: true, force: true })
process.stdout.write(`\n${String(passed)} passed, ${String(failed)} failed\n`)
process.exitCode = failed === 0 ? 0 : 1

function countsOf(file: string): { passed: number; failed: number } | undefined {
  try {
    const report: unknown = JSON.parse(readFileSync(file, 'utf8'))
    if (typeof report !== 'object' || report === null || !('numPassedTests' in report) || !('numFailedTests' in report))
      return undefined
    return { passed: Number(report.numPassedTests), failed: Number(report.numFailedTests) }
  } catch {
    return undefined
  }
}
