// `npm test`: every check; the last line counts what passed.
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { execa } from 'execa'
import { array, number, object, string } from 'yup'
import { ensurePrograms } from './debian.js'
import { root } from './stage.js'

interface Step {
  name: string
  command: string[]
  /** Where Vitest writes its counts. */
  report?: string
}

/** Of what Vitest writes, what is read here. */
const REPORT = object({
  numPassedTests: number().required(),
  numFailedTests: number().required(),
  testResults: array(
    object({
      assertionResults: array(
        object({
          fullName: string().required(),
          status: string().required(),
          failureMessages: array(string().required()).default([]),
        }),
      ).required(),
    }),
  ).required(),
})

const reports = mkdtempSync(join(tmpdir(), 'jolt-gate-test-'))
ensurePrograms(['git', 'mariadbd', 'chromium', 'fish', 'zsh'])

let passed = 0
let failed = 0
/** What failed, told once more at the end: the output of all checks is long. */
const faults: string[] = []
// What measures no time goes in two lanes; what does has the machine for itself.
await Promise.all([
  inTurn(
    [{ name: 'lint', command: ['eslint', '.'] }, testsOf('core'), testsOf('scripts'), testsOf('web')],
    'at its end',
  ),
  inTurn(
    [
      { name: 'format', command: ['prettier', '--check', '--log-level', 'warn', '.'] },
      { name: 'types of the pages', command: ['vue-tsc', '--noEmit', '-p', 'web'] },
      { name: 'types of the tests', command: ['tsc', '--noEmit', '-p', 'tsconfig.json'] },
      { name: 'imports', command: ['npm', 'run', '--silent', 'rooms'] },
      testsOf('engine-untimed'),
      testsOf('cli-untimed'),
    ],
    'at its end',
  ),
])
await inTurn([testsOf('engine'), testsOf('cli')], 'as it comes')
await Promise.all([
  inTurn([testsOf('server')], 'at its end'),
  inTurn([testsOf('e2e'), testsOf('security')], 'at its end'),
])
rmSync(reports, { recursive: true, force: true })
if (faults.length > 0) process.stdout.write(`\n# failed: ${faults.join('\n# failed: ')}\n`)
process.stdout.write(`\n${String(passed)} passed, ${String(failed)} failed\n`)
process.exitCode = failed === 0 ? 0 : 1

function testsOf(project: string): Step {
  const report = join(reports, `${project}.json`)
  const reporters = ['--reporter=default', '--reporter=json', `--outputFile.json=${report}`]
  return { name: project, command: ['vitest', 'run', '--project', project, ...reporters], report }
}

/** Runs steps one after another, and counts what passed; output is shown at once, or whole at the end of a step. */
async function inTurn(steps: readonly Step[], shown: 'as it comes' | 'at its end'): Promise<void> {
  for (const { name, command, report } of steps) {
    const began = performance.now()
    if (shown === 'as it comes') process.stdout.write(`\n# ${name}\n`)
    const isLater = shown === 'at its end'
    const { exitCode, all } = await execa('npx', ['--no-install', ...command], {
      cwd: root,
      stdin: 'ignore',
      stdout: isLater ? 'pipe' : 'inherit',
      stderr: isLater ? 'pipe' : 'inherit',
      all: isLater,
      reject: false,
    })
    const counts = report === undefined ? undefined : countsOf(report)
    passed += counts?.passed ?? (exitCode === 0 ? 1 : 0)
    failed += Math.max(counts?.failed ?? 0, exitCode === 0 ? 0 : 1)
    const verdict = exitCode === 0 ? 'passed' : 'failed'
    // A step may fail without a failed test: a file that cannot be read, say.
    if (exitCode !== 0) faults.push(...new Set([name, ...(counts?.faults ?? [])]))
    const seconds = ((performance.now() - began) / 1000).toFixed(1)
    process.stdout.write(`${isLater ? `\n# ${name}\n${String(all)}\n` : ''}# ${name}: ${verdict} in ${seconds} s\n`)
  }
}

/** What a report counts; undefined where none was written, since Vitest itself did not start. */
function countsOf(file: string): { passed: number; failed: number; faults: string[] } | undefined {
  if (!existsSync(file)) return undefined
  const report = REPORT.validateSync(JSON.parse(readFileSync(file, 'utf8')))
  const tests = report.testResults.flatMap(({ assertionResults }) => assertionResults)
  const faults = tests
    .filter(({ status }) => status === 'failed')
    .map(({ fullName, failureMessages }) => [fullName, ...reasonOf(failureMessages)].join('\n  '))
  return { passed: report.numPassedTests, failed: report.numFailedTests, faults }
}

/** The first lines of what a test said, and where in our own code it said it. */
function reasonOf(messages: readonly string[]): string[] {
  const lines = messages.join('\n').split('\n')
  const place = lines.find((line) => /^\s+at .*\.test\.ts/.test(line))
  return [...lines.slice(0, 12), ...(place === undefined ? [] : [place])].map((line) => line.slice(0, 300))
}
