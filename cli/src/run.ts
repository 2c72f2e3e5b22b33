// `run`: makes the load of a plan; the verdict is the exit code.
import pc from 'picocolors'
import {
  baselineFault,
  baselineFrom,
  causesOf,
  causeWords,
  formatMs,
  formatValue,
  loadFingerprint,
  observedWords,
  statusWords,
  verdictWords,
  type Baseline,
  type Judgement,
  type Plan,
  type RunResult,
  type Target,
} from '@jolt-gate/core'
import {
  lastCalibration,
  secretsOf,
  startRun,
  type RunHandle,
  type RunOptions,
  type RunOutcome,
} from '@jolt-gate/engine'
import { isUrl, mostOfUsers, planOfUrl, refuseUnknownValues, refuseForbidden } from './asked.js'
import { readValidPlan, readValidText } from './validate.js'
import { readStored } from './compare.js'
import { EXIT, UsageError } from './errors.js'
import type { Output, RunArguments } from './options.js'
import { asOftenAsAsked } from './repeat.js'
import { progressOf } from './progress.js'
import { checkReports, REPORTS, writeReports } from './reports.js'
import { commitOf, NO_REPOSITORY, type Commit } from './repository.js'
import { tableOf } from './tables.js'
import { newId, VERSION } from '@jolt-gate/core/identity'

/** Causes of failures that are printed; the reports have all. */
const MOST_CAUSES = 20

export async function run(file: string, options: RunArguments, output: Output): Promise<number> {
  const { reading, repository } = isUrl(file)
    ? { reading: readValidText(file, planOfUrl(file, options)), repository: NO_REPOSITORY }
    : readValidPlan(file, options)
  refuseLoadOptions(file, options)
  const { plan, target } = reading
  if (target === undefined) throw new UsageError(`${file}: the plan has no target`)
  refuseUnknownValues(reading, options.set)
  const secrets = secretsOf(target, process.env)
  if (secrets.kind === 'missing')
    throw new UsageError(`the target needs secrets: set ${secrets.variables.join(' and ')}`)
  if (secrets.kind === 'short')
    throw new UsageError(`a secret needs at least four characters: ${secrets.variables.join(' and ')}`)
  await refuseForbidden(plan, target, options.scale)
  checkReports(options)
  const baseline =
    options.baseline === undefined ? undefined : readBaseline(options.baseline, plan, target, options.scale)
  const most = isUrl(file) ? mostOfUsers(options) : undefined
  if (most !== undefined && !output.quiet) process.stderr.write(`${most}\n`)
  const commit = commitOf(repository.root)
  const once = () => {
    const id = newId()
    if (!output.quiet) process.stderr.write(`${headline(plan, target, commit, id)}\n`)
    const identity = { id, tool: VERSION, plan: { name: plan.name, file: plan.file, ...commit } }
    return runOnce(
      {
        plan,
        target,
        secrets: secrets.values,
        overrides: options.set,
        scale: options.scale,
        baseline,
        calibration: lastCalibration(),
        fileBytes: repository.readBytes,
        identity: { ...identity, plan: { ...identity.plan, seed: options.seed ?? plan.seed } },
      },
      options,
      output,
    )
  }
  const { result, judgement } = await asOftenAsAsked(once, options, output)
  const faults = writeReports(result, options)
  const written = REPORTS.flatMap((name) =>
    options[name] === undefined ||
    options[name] === '-' ||
    faults.some((fault) => fault.startsWith(`${options[name]} `))
      ? []
      : [options[name]],
  )
  if (!output.quiet && written.length > 0) process.stderr.write(`written: ${written.join(', ')}\n`)
  const toStdout = REPORTS.some((name) => options[name] === '-')
  print(result, judgement, output, toStdout ? process.stderr : process.stdout)
  for (const fault of faults) process.stderr.write(`${fault}\n`)
  // A pipeline that goes by its reports must not take a missing one for a good one.
  return faults.length > 0 && judgement.exitCode === EXIT.ok ? EXIT.fault : judgement.exitCode
}

async function runOnce(asked: RunOptions, options: RunArguments, output: Output): Promise<RunOutcome> {
  const handle: RunHandle = startRun({
    ...asked,
    onState: (state) => {
      progress.onState(state)
    },
    onEvent: (event) => {
      if (event.kind === 'bucket') progress.onBucket(event.bucket)
    },
    onResult: (result) => {
      // Standard output gets one document: the last one.
      const files = REPORTS.filter((name) => options[name] !== '-').map((name) => [name, options[name]] as const)
      writeReports(result, Object.fromEntries(files))
    },
  })
  const progress = progressOf(() => handle.view.shape, output.quiet)
  const release = stopOnSignals(handle)
  const outcome = await handle.done
  release()
  progress.end()
  return outcome
}

/** What runs: so that a log of a pipeline can be understood by itself. */
function headline(plan: Plan, target: Target, { commit, dirty }: Commit, id: string): string {
  if (plan.file === plan.name) return `${plan.name}, run ${id}`
  const at = commit === null ? '' : `, commit ${commit.slice(0, 8)}${dirty ? ' with changes' : ''}`
  const against = target.name === target.origin ? target.origin : `${target.name} (${target.origin})`
  return `${plan.name} (${plan.file}${at}) against ${against}, run ${id}`
}

/** The options that make the load of a URL say nothing beside a plan. */
function refuseLoadOptions(file: string, options: RunArguments): void {
  if (isUrl(file)) return
  for (const name of ['rate', 'for', 'users', 'iterations', 'wait', 'gate'] as const)
    if (options[name] !== undefined)
      throw new UsageError(`--${name} is for the run of a URL: a plan has its own load and gates`)
}

/** The run that gates are held to. */
function readBaseline(file: string, plan: Plan, target: Target, scale: number): Baseline {
  const baseline = baselineFrom(readStored(file))
  const fault = baselineFault(baseline, { target, plan: { scale, load: loadFingerprint(plan) } })
  if (fault !== undefined) throw new UsageError(`${file} is no baseline for this run: ${fault}`)
  return baseline
}

/** The first signal stops the run, with its teardown; a second one ends at once. */
function stopOnSignals(handle: RunHandle): () => void {
  let signals = 0
  const onSignal = (signal: NodeJS.Signals) => {
    if (++signals > 1) process.exit(4)
    process.stderr.write(`\n${signal}: stopping; teardown runs first, a second signal ends at once\n`)
    handle.stop(signal)
  }
  process.on('SIGINT', onSignal).on('SIGTERM', onSignal)
  return () => {
    process.off('SIGINT', onSignal).off('SIGTERM', onSignal)
  }
}

function print(result: RunResult, judgement: Judgement, output: Output, stream: NodeJS.WritableStream): void {
  const colors = pc.createColors(output.color)
  const paint = judgement.verdict === 'open' ? colors.green : judgement.verdict === 'shut' ? colors.red : colors.yellow
  if (!output.quiet) {
    const gates = result.gates.map((gate) => [
      statusWords(gate),
      gate.rule,
      observedWords(gate),
      formatValue(gate.limit, gate.unit),
      String(gate.samples),
    ])
    if (gates.length > 0)
      stream.write(`\n${tableOf(['gate', '', 'observed', 'limit', 'samples'], gates, [2, 3, 4], output.color)}\n`)
    const steps = result.steps.map((step) => {
      const times = step.responseTime
      const time = (value: number | undefined) => (value === undefined ? '–' : formatMs(value))
      return [
        step.name,
        String(step.requests),
        `${step.throughput.toFixed(1)}/s`,
        `${(100 * step.failedShare).toFixed(1)} %`,
        time(times?.percentiles['50']),
        time(times?.percentiles['95']),
        time(times?.percentiles['99']),
        time(times?.max),
      ]
    })
    stream.write(
      `\n${tableOf(['step', 'requests', 'throughput', 'failed', 'median', 'p95', 'p99', 'max'], steps, [1, 2, 3, 4, 5, 6, 7], output.color)}\n`,
    )
    for (const { name, resent = 0 } of result.steps)
      if (resent > 0)
        stream.write(`  ${name}: ${String(resent)} sent once more: a reused connection was closed unanswered\n`)
    for (const cause of causesOf(result).slice(0, MOST_CAUSES)) stream.write(`  ${causeWords(cause)}\n`)
    for (const once of [...result.setup, ...result.teardown])
      if (!once.passed) stream.write(`  failed in setup or teardown: ${once.reason ?? once.name}\n`)
    stream.write('\n')
  }
  const reasons = judgement.reasons.length === 0 ? '' : `: ${judgement.reasons.join('; ')}`
  stream.write(`${paint(colors.bold(verdictWords(result.verdict)))}${reasons}\n`)
}
