// `npm test`: every check, one after another; the last line counts what passed.
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ensurePrograms } from './debian.js'
import { root } from './stage.js'

interface Step {
  name: string
  command: string[]
  /** Where Vitest writes its counts. */
  report?: string
}

const reports = mkdtempSync(join(tmpdir(), 'jolt-gate-test-'))
ensurePrograms(['git', 'mariadbd', 'chromium'])

/** The projects of Vitest, the quick ones first. */
const PROJECTS = ['core', 'web', 'scripts', 'engine', 'cli', 'server', 'e2e']

const steps: Step[] = [
  { name: 'lint', command: ['eslint', '.'] },
  { name: 'format', command: ['prettier', '--check', '--log-level', 'warn', '.'] },
  { name: 'types of the pages', command: ['vue-tsc', '--noEmit', '-p', 'web'] },
  { name: 'types of the tests', command: ['tsc', '--noEmit', '-p', 'tsconfig.json'] },
  { name: 'imports', command: ['npm', 'run', '--silent', 'rooms'] },
  ...PROJECTS.map(testsOf),
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

function testsOf(project: string): Step {
  const report = join(reports, `${project}.json`)
  const reporters = ['--reporter=default', '--reporter=json', `--outputFile.json=${report}`]
  return { name: project, command: ['vitest', 'run', '--project', project, ...reporters], report }
}

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
