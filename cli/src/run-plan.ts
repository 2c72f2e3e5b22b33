// One plan, read and run.
import { existsSync, statSync } from 'node:fs'
import { join } from 'node:path'
import {
  baselineFault,
  baselineFrom,
  baselineOf,
  loadFingerprint,
  previewOf,
  scalePlan,
  shapeOf,
  type Baseline,
  type BaselineRun,
  type Plan,
  type RunResult,
  type Target,
} from '@jolt-gate/core'
import { lastCalibration, startRun, type RunHandle, type RunOptions, type RunOutcome } from '@jolt-gate/engine'
import { ROUTES, type ReportedRun } from '@jolt-gate/core/api'
import { newId, VERSION } from '@jolt-gate/core/identity'
import {
  isUrl,
  mostOfUsers,
  planOfUrl,
  refuseForbidden,
  refuseUnpermitted,
  refuseImpossible,
  refuseUnknownValues,
  secretValuesOf,
} from './asked.js'
import { readStored } from './compare.js'
import { UsageError } from './errors.js'
import type { FleetOfRuns } from './fleet.js'
import type { Output, RunArguments } from './options.js'
import { progressOf } from './progress.js'
import { asOftenAsAsked } from './repeat.js'
import { commitOf, fullCommit, NO_REPOSITORY, type Commit, type Repository } from './repository.js'
import { keepReported } from './report/kept.js'
import { nameOf } from './reports.js'
import { Reporter, shapeFingerprint, type Reported } from './report/reporter.js'
import type { Server } from './report/server.js'
import type { Samples } from './samples.js'
import { readValidPlan, readValidText, type PlanRead } from './validate.js'

/** A plan that may be run. */
export interface AskedPlan {
  /** As it was named. */
  file: string
  plan: Plan
  target: Target
  secrets: Record<string, string>
  baseline: Baseline | undefined
  repository: Repository
  /** Of its file, and of those that it was read with. */
  text: string
  texts: Readonly<Record<string, string>>
}

/** Reads a plan, and refuses what cannot be run; nothing is sent. */
export async function askedPlan(file: string, options: RunArguments, server: Server | undefined): Promise<AskedPlan> {
  const { reading, repository, text, texts } = isUrl(file) ? readUrl(file, options) : readValidPlan(file, options)
  refuseLoadOptions(file, options)
  const { plan, target } = reading
  if (target === undefined) throw new UsageError(`${file}: the plan has no target`)
  refuseUnknownValues(reading, options.set)
  const secrets = secretValuesOf(target)
  const byFleet = isByFleet(options)
  // Generators look for the proof themselves: this machine may not even reach the target.
  if (byFleet) refuseUnpermitted(plan, target, options.scale)
  else await refuseForbidden(plan, target, options.scale)
  await refuseImpossible(plan, target)
  const baseline =
    options.baseline?.[0] === 'server'
      ? await baselineOfServer(server, plan, target, options, commitOf(repository.root))
      : options.baseline === undefined
        ? undefined
        : readBaseline(options.baseline, plan, target, options.scale)
  const held = baseline === undefined ? undefined : { ...baseline, repeatsHeld: options.repeat ?? 1 }
  return { file, plan, target, secrets, baseline: held, repository, text, texts }
}

function readUrl(url: string, options: RunArguments): PlanRead {
  const text = planOfUrl(url, options)
  return { reading: readValidText(url, text), repository: NO_REPOSITORY, text, texts: {} }
}

/** What the server has for a run like this; nothing where it does not answer, and the gates say so. */
async function baselineOfServer(
  server: Server | undefined,
  plan: Plan,
  target: Target,
  { scale, branch }: RunArguments,
  commit: Commit,
): Promise<Baseline | undefined> {
  if (server === undefined) throw new UsageError('--baseline server needs --to: the server that has it')
  const on = branch ?? commit.branch
  try {
    const { baseline } = await server.ask(
      ROUTES.fittingBaseline,
      { project: await server.projectId() },
      {
        query: {
          ...{ plan: plan.file, target: target.name, scale: String(scale), load: loadFingerprint(plan) },
          ...(on === null ? {} : { branch: on }),
        },
      },
    )
    return baseline ?? undefined
  } catch (error) {
    process.stderr.write(`no baseline: ${error instanceof Error ? error.message : String(error)}\n`)
    return undefined
  }
}

/** What is told of a run as it goes on. */
export interface RunListener {
  /** Given each result as it stands, before teardown and after it. */
  onResult: (result: RunResult) => void
  samples: Samples | undefined
  /** That sees the run live and keeps it. */
  server: Server | undefined
  /** Where what cannot be delivered is kept; given the id of its run. */
  keepAt: ((run: string) => string) | undefined
  /** That makes its load, where it is not made here. */
  fleet: FleetOfRuns | undefined
}

/** Runs it, as often as is asked for. */
export async function runPlan(
  asked: AskedPlan,
  options: RunArguments,
  output: Output,
  { onResult, samples, server, keepAt, fleet }: RunListener,
): Promise<Pick<RunOutcome, 'result' | 'judgement'>> {
  const { file, plan, target, repository } = asked
  const most = isUrl(file) ? mostOfUsers(options) : undefined
  if (most !== undefined && !output.quiet) process.stderr.write(`${most}\n`)
  const commit = commitOf(repository.root)
  if (!output.quiet && !isUrl(file)) tellWarnings(plan, options.scale)
  const once = () => {
    const id = newId()
    if (!output.quiet) process.stderr.write(`${headline(plan, target, commit, id)}\n`)
    const run: RunOptions = {
      ...engineOptions(asked, options, id),
      ...fleet?.forRun(),
      onResult,
      ...(samples === undefined ? {} : { onSamples: samples.take }),
    }
    return server === undefined
      ? runOnce(run, output)
      : runReported(run, output, server, { begun: begunOf(asked, options, run, commit), file: keepAt?.(id) })
  }
  return asOftenAsAsked(once, options, output)
}

/** What a plan's author should know of it, in the log of each run. */
function tellWarnings(plan: Plan, scale: number): void {
  for (const { line, message } of previewOf(scalePlan(plan, scale)).warnings)
    process.stderr.write(`${plan.file}:${String(line)}: warning: ${message}\n`)
}

/** What the engine is told of a run. */
export function engineOptions(
  { plan, target, secrets, baseline, repository }: AskedPlan,
  options: RunArguments,
  id: string,
): RunOptions {
  return {
    ...{ plan, target, secrets, baseline, overrides: options.set, scale: options.scale },
    ...{ strict: options.strict === true, isChecked: true },
    calibration: lastCalibration(),
    fileBytes: repository.readBytes,
    identity: {
      id,
      tool: VERSION,
      plan: { name: plan.name, file: plan.file, ...commitOf(repository.root), seed: options.seed ?? plan.seed },
      change: changeOf(options, repository.root),
      labels: options.label,
    },
  }
}

/** Makes a run, its progress drawn; a signal stops it. */
export async function runOnce(asked: RunOptions, output: Output): Promise<RunOutcome> {
  const handle: RunHandle = startRun({
    ...asked,
    onState: (state) => {
      asked.onState?.(state)
      progress.onState(state)
    },
    onEvent: (event) => {
      asked.onEvent?.(event)
      if (event.kind === 'bucket') progress.onBucket(event.bucket)
    },
  })
  const progress = progressOf(() => handle.view.shape, output.quiet)
  const release = stopOnSignals(handle)
  const outcome = await handle.done
  release()
  progress.end()
  return outcome
}

/** The run is told to a server as it goes on; what becomes of that changes neither its verdict nor its end. */
async function runReported(
  run: RunOptions,
  output: Output,
  server: Server,
  { begun, file }: { begun: ReportedRun; file: string | undefined },
): Promise<RunOutcome> {
  const reporter = new Reporter(server, begun)
  const outcome = await runOnce(
    {
      ...run,
      onState: (state) => {
        reporter.at(state)
      },
      onEvent: (event) => {
        reporter.add(event)
      },
    },
    output,
  )
  const fault = await reporter.finish(outcome.result)
  if (fault === undefined) {
    if (!output.quiet) process.stderr.write(`run ${begun.id} is kept at ${server.origin}\n`)
    return outcome
  }
  process.stderr.write(`the run was not delivered: ${fault}\n`)
  process.stderr.write(`${keptWords(file, reporter.reported, server)}\n`)
  return outcome
}

/** Keeps what could not be delivered; a disk that is full costs neither the verdict nor the reports. */
function keptWords(file: string | undefined, reported: Reported, { origin }: Server): string {
  if (file === undefined) return 'with --out FOLDER it would be kept, to be uploaded by "send"'
  try {
    keepReported(file, reported)
    return `it is kept: jolt-gate send ${file} --to ${origin}`
  } catch (error) {
    return `nor can it be kept: ${file}: ${error instanceof Error ? error.message : String(error)}`
  }
}

/** What the server is told of a run as it begins: it reads the plan itself. */
function begunOf(
  { plan, target, text, texts }: AskedPlan,
  options: RunArguments,
  { identity }: RunOptions,
  commit: Commit,
): ReportedRun {
  const scaled = scalePlan({ ...plan, seed: identity.plan.seed }, options.scale)
  return {
    id: identity.id,
    tool: identity.tool,
    plan: {
      ...{ file: plan.file, text, files: withoutKeys(texts), set: options.set, ...commit },
      ...{ seed: identity.plan.seed, scale: options.scale },
    },
    target: options.target ?? null,
    change: identity.change ?? { commit: commit.commit, branch: commit.branch },
    labels: { ...identity.labels },
    shape: shapeFingerprint(shapeOf(scaled, previewOf(scaled).phases, target)),
    startedAt: new Date().toISOString(),
  }
}

/** A key stays where it is: to read a plan, that there is one is enough. */
const withoutKeys = (texts: Readonly<Record<string, string>>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(texts).map(([path, text]) => [
      path,
      /-----BEGIN [A-Z ]*PRIVATE KEY-----/.test(text) ? 'a key' : text,
    ]),
  )

/** The change under test, where the command line says that it is another than the plan's own commit. */
function changeOf({ commit, branch, to }: RunArguments, root: string) {
  if (commit === undefined && branch === undefined) return undefined
  const full = commit === undefined ? null : fullCommit(root, commit)
  if (to !== undefined && full !== null && !/^(?:[0-9a-f]{40}|[0-9a-f]{64})$/.test(full))
    throw new UsageError(`--commit ${full}: give the commit in full, 40 or 64 digits; its beginning may be another's`)
  return { commit: full, branch: branch ?? null }
}

/** What runs: so that a log of a pipeline can be understood by itself. */
function headline(plan: Plan, target: Target, { commit, dirty }: Commit, id: string): string {
  if (plan.file === plan.name) return `${plan.name}, run ${id}`
  const at = commit === null ? '' : `, commit ${commit.slice(0, 8)}${dirty ? ' with changes' : ''}`
  const against = target.name === target.origin ? target.origin : `${target.name} (${target.origin})`
  return `${plan.name} (${plan.file}${at}) against ${against}, run ${id}`
}

/** Refuses a plan, or options, that mean nothing without a fleet. */
export function refuseFleetless({ file, plan: { places } }: AskedPlan, options: RunArguments): void {
  if (isByFleet(options)) return
  if (options.generators !== undefined) throw new UsageError('--generators needs --fleet: the address of the fleet')
  if (places !== undefined)
    throw new UsageError(
      `${file}: its load is made from ${places.map(({ name }) => name).join(' and ')}: say by which fleet, with --fleet nats://HOST:4222`,
    )
}

/** Whether generators elsewhere make the load. */
export const isByFleet = ({ fleet }: RunArguments): boolean =>
  fleet !== undefined || process.env['JOLT_FLEET'] !== undefined

/** The options that make the load of a URL say nothing beside a plan. */
function refuseLoadOptions(file: string, options: RunArguments): void {
  if (isUrl(file)) return
  for (const name of ['rate', 'for', 'users', 'iterations', 'wait', 'gate'] as const)
    if (options[name] !== undefined)
      throw new UsageError(`--${name} is for the run of a URL: a plan has its own load and gates`)
}

/** What gates are held to: the runs of some files, the latest first whatever their order. */
function readBaseline(paths: readonly string[], plan: Plan, target: Target, scale: number): Baseline | undefined {
  const runs = paths.flatMap((path) => readBaselineRun(path, plan, target, scale) ?? [])
  return baselineOf(runs.toSorted((one, other) => Date.parse(other.startedAt) - Date.parse(one.startedAt)))
}

/** One of them: a file, or of a folder of reports the plan's own. */
function readBaselineRun(path: string, plan: Plan, target: Target, scale: number): BaselineRun | undefined {
  const isFolder = statSync(path, { throwIfNoEntry: false })?.isDirectory() === true
  const file = isFolder ? join(path, `${nameOf(plan.file)}.json`) : path
  if (isFolder && !existsSync(file)) {
    process.stderr.write(`no baseline for ${plan.file}: there is no ${file}\n`)
    return undefined
  }
  const baseline = { ...baselineFrom(readStored(file)), isChosen: true }
  const fault = baselineFault(baseline, { target, plan: { scale, load: loadFingerprint(plan) } })
  if (fault !== undefined) throw new UsageError(`${file} is no baseline for this run: ${fault}`)
  return baseline
}

/** A terminal that is closed stops a run like any other who wants it to end. */
const STOPS = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const

/** The first signal stops the run, with its teardown; a second one ends at once. */
function stopOnSignals(handle: RunHandle): () => void {
  let signals = 0
  const onSignal = (signal: NodeJS.Signals) => {
    if (++signals > 1) process.exit(4)
    process.stderr.write(`\n${signal}: stopping; teardown runs first, a second signal ends at once\n`)
    handle.stop(signal)
  }
  for (const signal of STOPS) process.on(signal, onSignal)
  return () => {
    for (const signal of STOPS) process.off(signal, onSignal)
  }
}
