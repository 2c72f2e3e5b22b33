// `run`: makes the load of plans, one after another; the verdict is the exit code.
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { verdictWords, type Judgement, type RunResult } from '@jolt-gate/core'
import { collectorAt, type Collector } from '@jolt-gate/engine'
import { EXIT, UsageError } from './errors.js'
import { fleetOf } from './fleet.js'
import type { Output, RunArguments } from './options.js'
import { printResult } from './print-result.js'
import { KEPT_ENDING } from './report/kept.js'
import { Server } from './report/server.js'
import {
  checkFolder,
  checkReports,
  nameOf,
  removeUnwritten,
  reportsFor,
  writeReports,
  type Reports,
} from './reports.js'
import { openSamples } from './samples.js'
import { askedPlan, refuseFleetless, runPlan, type AskedPlan } from './run-plan.js'

/** The worst first: what several plans come to. */
const WORST = [EXIT.fault, EXIT.usage, EXIT.shut, EXIT.stopped, EXIT.void, EXIT.untested]

/**
 * Runs plans in order, and ends at the first that is not open.
 *
 * @returns the exit code: that of the plan that was not open; with `--all` of the worst of them
 */
export async function run(files: readonly string[], options: RunArguments, output: Output): Promise<number> {
  const reports = reportsFor(files, options)
  if (options.out !== undefined) checkFolder(options.out)
  const asked: AskedPlan[] = []
  // All of them are read before anything is sent.
  const server = options.to === undefined ? undefined : Server.at(options.to, process.env['JOLT_TOKEN'])
  for (const file of files) asked.push(await askedPlan(file, options, server))
  for (const one of asked) refuseFleetless(one, options)
  const collector = options.otlp === undefined ? undefined : collectorOf(options.otlp)
  const fleet = await fleetOf(options)
  // Not before: a baseline may stand where its successor will.
  checkReports(reports)
  const samples = options.requests === undefined ? undefined : await openSamples(options.requests)
  const results: RunResult[] = []
  const codes: number[] = []
  const forgiven = new Set<string>()
  const reported = (notRun: readonly string[]) => ({ notRun, isForgiven: ({ id }: RunResult) => forgiven.has(id) })
  try {
    for (const one of asked) {
      const { result, judgement } = await runPlan(one, options, output, {
        samples,
        server,
        fleet,
        keepAt: keptIn(options.out, one.file),
        onResult: (early) => {
          // Standard output gets one document: the last one.
          writeReports(reports, [...results, early], reported(files.slice(results.length + 1)), 'files')
        },
      })
      results.push(result)
      const code = codeOf(judgement, options.onVoid)
      codes.push(code)
      if (code === EXIT.ok && judgement.verdict === 'void') forgiven.add(result.id)
      const unsent = await collector?.send(result)
      if (unsent !== undefined) process.stderr.write(`not sent to the collector: ${unsent}\n`)
      printResult(result, judgement, output, reports.some(({ file }) => file === '-') ? process.stderr : process.stdout)
      if (code !== EXIT.ok && options.all !== true) break
    }
  } finally {
    await fleet?.close()
  }
  const notRun = files.slice(results.length)
  const faults = [...writeReports(reports, results, reported(notRun), 'all'), ...((await samples?.close()) ?? [])]
  removeUnwritten(reports, results.length)
  tell(reports, faults, output)
  if (files.length > 1) summarize(files, results)
  const code = WORST.find((one) => codes.includes(one)) ?? EXIT.ok
  // A pipeline that goes by its reports must not take a missing one for a good one.
  return faults.length > 0 && code === EXIT.ok ? EXIT.fault : code
}

/** Only gates that could not be decided or measured are let pass: what was not done or not delivered never is. */
function codeOf({ exitCode, isOpenQuestion }: Judgement, onVoid: RunArguments['onVoid']): number {
  if (exitCode !== EXIT.void || onVoid === 'fail') return exitCode
  if (onVoid === 'skip') return EXIT.untested
  return isOpenQuestion === true ? EXIT.ok : exitCode
}

/** What becomes of it changes neither a verdict nor the exit code. */
function collectorOf(endpoint: string): Collector {
  const collector = collectorAt(endpoint, process.env['OTEL_EXPORTER_OTLP_HEADERS'])
  if (typeof collector === 'string') throw new UsageError(`--otlp: ${collector}`)
  return collector
}

/** Where a run that cannot be delivered is kept. */
function keptIn(out: string | undefined, file: string): ((run: string) => string) | undefined {
  return out === undefined ? undefined : (run) => join(out, `${nameOf(file)}.${run}${KEPT_ENDING}`)
}

function tell(reports: Reports, faults: readonly string[], output: Output): void {
  const written = reports.filter(
    ({ file }) => existsSync(file) && !faults.some((fault) => fault.startsWith(`${file} `)),
  )
  if (!output.quiet && written.length > 0)
    process.stderr.write(`written: ${written.map(({ file }) => file).join(', ')}\n`)
  for (const fault of faults) process.stderr.write(`${fault}\n`)
}

function summarize(files: readonly string[], results: readonly RunResult[]): void {
  process.stderr.write('\n')
  for (const [index, file] of files.entries()) {
    const result = results[index]
    const verdict = result === undefined ? 'Not run' : verdictWords(result.verdict)
    process.stderr.write(`${verdict.padEnd(20)} ${file}\n`)
  }
}
