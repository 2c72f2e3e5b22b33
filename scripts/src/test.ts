// `npm test`: every check; the last line counts what passed.
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, relative } from 'node:path'
import { execa } from 'execa'
import pLimit from 'p-limit'
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
  testResults: array(
    object({
      name: string().required(),
      status: string().required(),
      assertionResults: array(
        object({
          fullName: string().required(),
          status: string().required(),
          duration: number().nullable(),
          failureMessages: array(string().required()).default([]),
          meta: object({ excuse: string() }).default({}),
        }),
      ).required(),
    }),
  ).required(),
})

const reports = mkdtempSync(join(tmpdir(), 'jolt-gate-test-'))
// All checks are made of what was built for them; a single test is made of the sources.
process.env['JOLT_GATE_IS_BUILT'] = 'yes'
process.env['JOLT_GATE_TEST_BUNDLE'] = join(root, 'cli/bundle')
ensurePrograms(['git', 'mariadbd', 'chromium', 'fish', 'zsh', 'ssh-keygen', 'nats-server'])

const MOST_BESIDE = 4
/** More tests that a busy host excused, and nothing is known of the engine. */
const MOST_EXCUSED = 5
/** Where others had more of the processors, or less of them was left, tests that fail are made once more, alone. */
const MOST_STOLEN = 0.03
const LEAST_IDLE = 0.1

let passed = 0
let failed = 0
/** Tests that did not judge what they measured, each with its reason. */
const excused: string[] = []
/** Files of tests that failed while the processors had no time for them, to be made once more. */
const again: Step[] = []
/** What failed, told once more at the end: the output of all checks is long. */
const faults: string[] = []
// What measures times has the machine for itself, at the end; all else goes some at a time, the longest first: most
// tests wait for most of their time.
await beside(MOST_BESIDE, [
  ...['server', 'pipelines', 'e2e-reading', 'e2e', 'cli-untimed', 'core', 'engine-untimed'].map(testsOf),
  ...['engine-fleet', 'cli-fleet', 'engine-simulated', 'reported'].map(testsOf),
  { name: 'lint of the pages', command: ['eslint', '.', '--cache', '--cache-location', 'node_modules/.cache/eslint/'] },
  { name: 'types of the pages', command: ['vue-tsc', '--noEmit', '-p', 'web'] },
  testsOf('web'),
  { name: 'lint', command: ['oxlint'] },
  { name: 'types of the tests', command: ['npm', 'run', '--silent', 'types'] },
  testsOf('security'),
  { name: 'format', command: ['prettier', '--check', '--log-level', 'warn', '.'] },
  testsOf('scripts'),
  { name: 'dead exports', command: ['npm', 'run', '--silent', 'dead'] },
])
for (const step of ['engine', 'cli'].map(testsOf)) await make(step, 'as it comes')
for (const step of again) count(step, await run(step, 'as it comes'))
rmSync(reports, { recursive: true, force: true })
if (excused.length > 0) process.stdout.write(`\n# excused: ${excused.join('\n# excused: ')}\n`)
if (excused.length > MOST_EXCUSED) {
  failed++
  faults.push(
    `${String(excused.length)} tests are excused, and more than ${String(MOST_EXCUSED)} may not be: try a quieter machine`,
  )
}
if (faults.length > 0) process.stdout.write(`\n# failed: ${faults.join('\n# failed: ')}\n`)
process.stdout.write(`\n${String(passed)} passed, ${String(failed)} failed\n`)
process.exitCode = failed === 0 ? 0 : 1

function testsOf(project: string): Step {
  const report = join(reports, `${project}.json`)
  const reporters = ['--reporter=default', '--reporter=json', `--outputFile.json=${report}`]
  return { name: project, command: ['vitest', 'run', '--project', project, ...reporters], report }
}

/** Runs some steps at a time, each with its output whole at its end. */
async function beside(atOnce: number, steps: readonly Step[]): Promise<void> {
  const slots = pLimit(atOnce)
  await Promise.all(
    steps.map((step) =>
      slots(async () => {
        await make(step, 'at its end')
      }),
    ),
  )
}

/** Runs a step and counts it; what failed while the processors were taken is made once more at the end, alone. */
async function make(step: Step, shown: 'as it comes' | 'at its end'): Promise<void> {
  const before = processorTimes()
  const made = await run(step, shown)
  const { stolen, idle } = sharesSince(before)
  const files = made.counts?.failedFiles ?? []
  if (files.length === 0 || (stolen < MOST_STOLEN && idle > LEAST_IDLE)) {
    count(step, made)
    return
  }
  const shares = `others had ${percent(stolen)} of the processors, and ${percent(idle)} was left`
  process.stdout.write(`# ${step.name}: ${shares}; made once more at the end: ${files.join(', ')}\n`)
  count(step, { exitCode: 0, counts: countsOf(step.report ?? '', files) })
  again.push({ ...step, command: [...step.command, ...files] })
}

function percent(share: number): string {
  return `${(100 * share).toFixed(0)} %`
}

interface Made {
  exitCode: number | undefined
  counts: Counts | undefined
}

/** Runs a step. */
async function run({ name, command, report }: Step, shown: 'as it comes' | 'at its end'): Promise<Made> {
  const began = performance.now()
  if (report !== undefined) rmSync(report, { force: true })
  const isLater = shown === 'at its end'
  if (!isLater) process.stdout.write(`\n# ${name}\n`)
  const { exitCode, all } = await execa('npx', ['--no-install', ...command], {
    cwd: root,
    stdin: 'ignore',
    stdout: isLater ? 'pipe' : 'inherit',
    stderr: isLater ? 'pipe' : 'inherit',
    all: isLater,
    reject: false,
  })
  const verdict = exitCode === 0 ? 'passed' : 'failed'
  const seconds = ((performance.now() - began) / 1000).toFixed(1)
  process.stdout.write(`${isLater ? `\n# ${name}\n${String(all)}\n` : ''}# ${name}: ${verdict} in ${seconds} s\n`)
  return { exitCode, counts: report === undefined ? undefined : countsOf(report) }
}

/** Counts what passed in a step. */
function count({ name }: Step, { exitCode, counts }: Made): void {
  passed += counts?.passed ?? (exitCode === 0 ? 1 : 0)
  failed += Math.max(counts?.failed ?? 0, exitCode === 0 ? 0 : 1)
  excused.push(...(counts?.excused ?? []))
  // A step may fail without a failed test: a file that cannot be read, say.
  if (exitCode !== 0) faults.push(...new Set([name, ...(counts?.faults ?? [])]))
}

/** Times of all processors since the machine started, as the kernel counts; stolen is what the host gave to others. */
function processorTimes(): { all: number; stolen: number; idle: number } {
  const [, ...times] = (readFileSync('/proc/stat', 'utf8').split('\n')[0] ?? '').split(/\s+/).map(Number)
  // user, nice, system, idle, iowait, irq, softirq, steal; guests are counted under user already.
  return { all: times.slice(0, 8).reduce((sum, time) => sum + time, 0), stolen: times[7] ?? 0, idle: times[3] ?? 0 }
}

/** The shares of all processors that others had, and that were left. */
function sharesSince(before: ReturnType<typeof processorTimes>): { stolen: number; idle: number } {
  const now = processorTimes()
  const all = Math.max(1, now.all - before.all)
  return { stolen: (now.stolen - before.stolen) / all, idle: (now.idle - before.idle) / all }
}

interface Counts {
  passed: number
  failed: number
  faults: string[]
  excused: string[]
  failedFiles: string[]
}

/**
 * What a report counts; undefined where none was written, since Vitest itself did not start.
 *
 * @param except - files that do not count
 */
function countsOf(file: string, except: readonly string[] = []): Counts | undefined {
  if (!existsSync(file)) return undefined
  const report = REPORT.validateSync(JSON.parse(readFileSync(file, 'utf8')))
  const results = report.testResults
    .map(({ name, status, assertionResults }) => ({ file: relative(root, name), status, tests: assertionResults }))
    .filter((one) => !except.includes(one.file))
  const tests = results.flatMap((one) => one.tests)
  const having = (status: string) => tests.filter((test) => test.status === status).length
  const faults = tests
    .filter(isFailed)
    .map(({ fullName, duration, failureMessages }) =>
      [`${fullName}, after ${String(Math.round(duration ?? 0))} ms`, ...reasonOf(failureMessages)].join('\n  '),
    )
  const excused = tests.flatMap(({ fullName, meta: { excuse } }) =>
    excuse === undefined ? [] : [`${fullName}: ${excuse}`],
  )
  const failedFiles = results.filter(isFailed).map((one) => one.file)
  return { passed: having('passed'), failed: having('failed'), faults, excused, failedFiles }
}

function isFailed({ status }: { status: string }): boolean {
  return status === 'failed'
}

/** The first lines of what a test said, and where in our own code it said it. */
function reasonOf(messages: readonly string[]): string[] {
  // What Vitest writes into its report instead of the message of a test that took too long.
  const lines = messages.join('\n').replaceAll('STACK_TRACE_ERROR', 'The test timed out').split('\n')
  const place = lines.find((line) => /^\s+at .*\.test\.ts/.test(line))
  return [...lines.slice(0, 12), ...(place === undefined ? [] : [place])].map((line) => line.slice(0, 300))
}
