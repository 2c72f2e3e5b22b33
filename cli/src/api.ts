// The package for programs: read a plan, run it, judge what came of it, report.
import {
  baselineFault,
  baselineFrom,
  baselineOf,
  loadFingerprint,
  previewOf,
  reportOf,
  verdictWords,
  type ReportName as ReportFormat,
  type RunResult,
} from '@jolt-gate/core'
import { startRun } from '@jolt-gate/engine'
import { newId } from '@jolt-gate/core/identity'
import { EXIT, UsageError } from './errors.js'
import { askedPlan, engineOptions } from './run-plan.js'
import { readPlanFile } from './validate.js'

export { UsageError, type ReportFormat, type RunResult }

/** What is wrong with a plan, or may be. */
export interface Problem {
  severity: 'error' | 'warning'
  file: string
  line: number
  column: number
  message: string
}

export interface PlanOptions {
  /** The name of a target, or an origin, in place of the plan's own. */
  target?: string
  /** Values of the plan or of its target; none of them secret. */
  set?: Record<string, string>
}

export interface PlanSummary {
  /** Its path in the repository. */
  file: string
  name: string
  target: { name: string; origin: string } | null
  journeys: string[]
  /** As they stand in the plan. */
  gates: string[]
  /** How long the load lasts, the drain not counted; null where iterations end it. */
  lengthMs: number | null
  /** Errors and warnings, with their places. */
  problems: Problem[]
  isValid: boolean
}

/**
 * Reads a plan with what it names: its target, data and shared steps. Nothing is sent.
 *
 * @param path - of its file
 * @throws UsageError where the file cannot be read
 * @example
 * const { isValid, problems } = readPlan('plans/smoke.gate.yaml')
 */
export function readPlan(path: string, options: PlanOptions = {}): PlanSummary {
  const { plan, target, problems, hasErrors } = readPlanFile(path, options).reading
  const seconds = hasErrors ? Infinity : previewOf(plan).seconds
  return {
    file: plan.file,
    name: plan.name,
    target: target === undefined ? null : { name: target.name, origin: target.origin },
    journeys: plan.journeys.map(({ name }) => name),
    gates: plan.gates.map(({ rule }) => rule),
    lengthMs: Number.isFinite(seconds) ? seconds * 1000 : null,
    problems: problems.map(({ severity, file, line, column, message }) => ({ severity, file, line, column, message })),
    isValid: !hasErrors,
  }
}

export interface RunOptions extends PlanOptions {
  seed?: number
  /** Multiplies rates, starts, users and caps. */
  scale?: number
  /** Earlier results of the same plan, target, scale and load, for gates "of baseline"; four or more are best. */
  baseline?: RunResult | readonly RunResult[]
  /** Void instead of open where something leaves a doubt. */
  strict?: boolean
  labels?: Record<string, string>
  /** The change under test, where it is not the plan's own commit. */
  change?: { commit: string; branch?: string }
  /** Stops the run, with its teardown: its verdict is then `stopped`. */
  signal?: AbortSignal
}

/**
 * Runs a plan to its end; secrets come from the environment, as with the command.
 *
 * @throws UsageError where the plan cannot be run; nothing was sent then
 * @example
 * const result = await runPlan('plans/smoke.gate.yaml', { labels: { reason: 'nightly' } })
 */
export async function runPlan(file: string, options: RunOptions = {}): Promise<RunResult> {
  const { target, set = {}, seed, scale = 1, labels: label = {}, change, signal, baseline, strict = false } = options
  const given = {
    ...{ set, scale, label, strict, onVoid: 'fail' as const },
    ...(target === undefined ? {} : { target }),
    ...(seed === undefined ? {} : { seed }),
    ...(change === undefined ? {} : change),
  }
  const asked = await askedPlan(file, given, undefined)
  if (baseline !== undefined) {
    const runs = [baseline].flat().map((result) => ({ ...baselineFrom(result), isChosen: true }))
    for (const run of runs) {
      const fault = baselineFault(run, { target: asked.target, plan: { scale, load: loadFingerprint(asked.plan) } })
      if (fault !== undefined) throw new UsageError(`${run.id} is no baseline for the run: ${fault}`)
    }
    asked.baseline = baselineOf(runs.toSorted((one, other) => Date.parse(other.startedAt) - Date.parse(one.startedAt)))
  }
  const handle = startRun(engineOptions(asked, given, newId()))
  const stop = () => {
    handle.stop('its caller')
  }
  if (signal?.aborted === true) stop()
  signal?.addEventListener('abort', stop, { once: true })
  const { result } = await handle.done
  signal?.removeEventListener('abort', stop)
  return result
}

export interface Judgement {
  verdict: RunResult['verdict']
  /** With the word in brackets, as reports say it. */
  words: string
  /** What the command would end with: 0 open, 1 shut, 3 void, 4 stopped. */
  exitCode: 0 | 1 | 3 | 4
  /** Only open lets a change go on. */
  mayGoOn: boolean
  /** Why, the first reason first. */
  reasons: string[]
  /** Gates that did not hold, were undecided or could not be measured. */
  notHeld: RunResult['gates']
}

const CODES = { open: EXIT.ok, shut: EXIT.shut, void: EXIT.void, stopped: EXIT.stopped } as const

/** What a result means for a pipeline. */
export function judge(result: RunResult): Judgement {
  const { verdict, reasons, gates } = result
  return {
    ...{ verdict, reasons, words: verdictWords(verdict), exitCode: CODES[verdict], mayGoOn: verdict === 'open' },
    notHeld: gates.filter(({ status }) => status !== 'held' && status !== 'not judged' && status !== 'no baseline'),
  }
}

/** A result as one of the reports that the command writes. */
export function report(result: RunResult, format: ReportFormat): string {
  return reportOf(format, result)
}
