// `compare`: two results, step by step and gate by gate.
import { readFileSync } from 'node:fs'
import pc from 'picocolors'
import {
  compareRuns,
  comparisonMarkdown,
  formatMs,
  formatValue,
  LEVEL,
  readResult,
  type Change,
  type RunResult,
} from '@jolt-gate/core'
import { EXIT, UsageError } from './errors.js'
import type { Output } from './options.js'
import { writeReport } from './reports.js'
import { tableOf } from './tables.js'

export function compare(
  beforeFile: string,
  afterFile: string,
  options: { json?: string; markdown?: string },
  output: Output,
): number {
  const comparison = compareRuns(readStored(beforeFile), readStored(afterFile))
  if (options.json !== undefined) writeReport(options.json, `${JSON.stringify(comparison, null, 2)}\n`)
  if (options.markdown !== undefined) writeReport(options.markdown, comparisonMarkdown(comparison))
  for (const warning of comparison.warnings) process.stderr.write(`warning: ${warning}\n`)
  if (output.quiet || options.json === '-' || options.markdown === '-') return EXIT.ok
  const colors = pc.createColors(output.color)
  const rows = comparison.steps.flatMap(({ step, changes }) =>
    changes.map((change) => [
      step,
      change.figure,
      figureOf(change, change.before),
      figureOf(change, change.after),
      signed(change, change.difference),
      `${signed(change, change.interval[0])} to ${signed(change, change.interval[1])}`,
      change.p < 0.001 ? '< 0.001' : change.p.toFixed(3),
      change.significant ? colors.bold('significant') : 'not significant',
    ]),
  )
  process.stdout.write(
    `${tableOf(['step', '', 'before', 'after', 'difference', '95 % interval', 'p', ''], rows, [2, 3, 4, 5, 6], output.color)}\n`,
  )
  const gates = comparison.gates.map(({ rule, unit, before, after }) => [rule, plain(before, unit), plain(after, unit)])
  if (gates.length > 0) process.stdout.write(`\n${tableOf(['gate', 'before', 'after'], gates, [1, 2], output.color)}\n`)
  for (const [names, which] of [
    [comparison.onlyBefore, 'first'],
    [comparison.onlyAfter, 'second'],
  ] as const)
    if (names.length > 0) process.stdout.write(`\nonly in the ${which}: ${names.join(', ')}\n`)
  process.stdout.write(
    `\nResponse times by the Mann–Whitney U test, failures by the two-proportion z test, at ${String(100 * LEVEL)} % over all rows together (Holm).\n`,
  )
  return EXIT.ok
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

function figureOf({ unit }: Change, value: number): string {
  return unit === 'ms' ? formatMs(value) : formatValue(100 * value, '%')
}

function signed(change: Change, value: number): string {
  return `${value < 0 ? '−' : '+'}${figureOf(change, Math.abs(value))}`
}

function plain(value: number | null, unit: string): string {
  if (value === null) return '–'
  return unit === 'ms' ? formatMs(value) : `${String(Number(value.toPrecision(4)))} ${unit}`
}
