// `compare`: two results, or several and several, step by step and gate by gate.
import { readFileSync } from 'node:fs'
import pc from 'picocolors'
import {
  compareRuns,
  compareSides,
  comparisonMarkdown,
  comparisonMethod,
  comparisonOutcome,
  comparisonWords,
  formatValue,
  readResult,
  rowOf,
  LEAST_RUNS_OF_SIDE,
  SMALLEST,
  type Comparison,
  type RunResult,
} from '@jolt-gate/core'
import { EXIT, UsageError } from './errors.js'
import type { Output } from './options.js'
import { writeReport } from './reports.js'
import { tableOf } from './tables.js'

const CODES = { worse: EXIT.shut, 'not worse': EXIT.ok, 'not tested': EXIT.void } as const

export interface CompareOptions {
  /** The later results, where there are several a side. */
  with?: string[]
  json?: string
  markdown?: string
  /** A share such as `5 %`: differences up to it do not matter. */
  smallest?: string
}

/** @returns 1 where something is significantly worse, or missing; 3 where nothing could be tested */
export function compare(files: readonly string[], options: CompareOptions, output: Output): number {
  const comparison = comparisonOf(files, options)
  const code = CODES[comparisonOutcome(comparison)]
  if (options.json !== undefined) writeReport(options.json, `${JSON.stringify(comparison, null, 2)}\n`)
  if (options.markdown !== undefined) writeReport(options.markdown, comparisonMarkdown(comparison))
  for (const warning of comparison.warnings) process.stderr.write(`warning: ${warning}\n`)
  if (output.quiet || options.json === '-' || options.markdown === '-') return code
  const colors = pc.createColors(output.color)
  const rows = comparison.steps.flatMap(({ step, changes }) =>
    changes.map((change) => rowOf(step, change, String, colors.bold)),
  )
  const heads = ['step', '', 'before', 'after', 'difference', '95 % interval', 'p', '']
  process.stdout.write(`${tableOf(heads, rows, [2, 3, 4, 5, 6], output.color)}\n`)
  const gates = comparison.gates.map(({ rule, unit, before, after }) => [
    rule,
    formatValue(before, unit),
    formatValue(after, unit),
  ])
  if (gates.length > 0) process.stdout.write(`\n${tableOf(['gate', 'before', 'after'], gates, [1, 2], output.color)}\n`)
  for (const [names, which] of [
    [comparison.onlyBefore, 'first, and missing after'],
    [comparison.onlyAfter, 'second'],
  ] as const)
    if (names.length > 0) process.stdout.write(`\nonly in the ${which}: ${names.join(', ')}\n`)
  process.stdout.write(`\n${comparisonMethod(comparison)}\n\n${colors.bold(comparisonWords(comparison))}\n`)
  return code
}

function comparisonOf(files: readonly string[], { with: later, smallest }: CompareOptions): Comparison {
  const share = shareOf(smallest)
  const [before, after] = later === undefined ? [files.slice(0, 1), files.slice(1)] : [files, later]
  if (later === undefined && files.length > 2)
    throw new UsageError(
      'compare: name the later results after --with, as in: compare a1.json a2.json --with b1.json b2.json',
    )
  const [first, second] = [before[0], after[0]]
  if (first === undefined || second === undefined)
    throw new UsageError('compare: name two results, or several and --with several')
  if (before.length === 1 && after.length === 1) return compareRuns(readStored(first), readStored(second), share)
  if (before.length < LEAST_RUNS_OF_SIDE || after.length < LEAST_RUNS_OF_SIDE)
    throw new UsageError(`compare: of several runs each side needs ${String(LEAST_RUNS_OF_SIDE)} or more`)
  const all = [...before, ...after].map(readStored)
  const twice = all.find(({ id }, index) => all.findIndex((other) => other.id === id) !== index)
  if (twice !== undefined) throw new UsageError(`compare: the run ${twice.id} is named twice: each run counts once`)
  return compareSides(all.slice(0, before.length), all.slice(before.length), share)
}

function shareOf(text: string | undefined): number {
  if (text === undefined) return SMALLEST
  const share = /^(\d+(?:\.\d+)?) ?%$/.exec(text.trim())?.[1]
  if (share === undefined || Number(share) >= 100)
    throw new UsageError(`--smallest: expected a share under 100 % such as "5 %", found "${text}"`)
  return Number(share) / 100
}

/** Reads a result.json that must be one. */
export function readStored(file: string): RunResult {
  const reading = readResult(readGiven(file))
  if (!reading.ok) throw new UsageError(`${file}: ${reading.fault}`)
  return reading.result
}

/** The text of a file that was named on the command line. */
export function readGiven(file: string): string {
  try {
    return readFileSync(file, 'utf8')
  } catch (error) {
    throw new UsageError(`${file}: ${error instanceof Error ? error.message : String(error)}`)
  }
}
