// What a run came to, as the terminal and the log of a pipeline show it: the verdict and why first, then the tables.
import pc from 'picocolors'
import {
  besideStatus,
  borderlineCount,
  causesOf,
  causeWords,
  findingsOf,
  impactWords,
  formatMs,
  formatValue,
  observedWords,
  verdictWords,
  type Judgement,
  type PartSummary,
  type RunResult,
} from '@jolt-gate/core'
import type { Output } from './options.js'
import { tableOf } from './tables.js'

/** Causes of failures that are printed; the reports have all. */
const MOST_CAUSES = 20
const MOST_FINDINGS = 12
/** Lines before the tables, the verdict's own included. */
const MOST_LINES = 12
/** Known of each green run, and of use where gates are written. */
const NOT_FOR_LOGS = 'loose gate'

type Colors = ReturnType<typeof pc.createColors>

export function printResult(
  result: RunResult,
  judgement: Judgement,
  output: Output,
  stream: NodeJS.WritableStream,
): void {
  const colors = pc.createColors(output.color)
  stream.write(`${answerLines(result, judgement, colors).join('\n')}\n`)
  if (output.quiet) return
  stream.write(gateTable(result, output))
  stream.write(`\n${figuresTable('step', result.steps, output)}\n`)
  if (result.places !== undefined) stream.write(`\n${figuresTable('place', result.places, output)}\n`)
  if (result.networks !== undefined) stream.write(`\n${figuresTable('network', result.networks, output)}\n`)
  for (const cause of causesOf(result).slice(0, MOST_CAUSES)) stream.write(`  ${causeWords(cause)}\n`)
  for (const once of [...result.setup, ...result.teardown])
    if (!once.passed) stream.write(`  failed in setup or teardown: ${once.reason ?? once.name}\n`)
  stream.write(findingLines(result, colors))
  const impact = impactWords(result)
  if (impact !== undefined) stream.write(`\n  ${impact}\n`)
}

/** The verdict in one line, then each reason once: those of the run, then the gates that are not held, then notes. */
function answerLines(result: RunResult, judgement: Judgement, colors: Colors): string[] {
  const { verdict, reasons, notes } = judgement
  const paint = verdict === 'open' ? colors.green : verdict === 'shut' ? colors.red : colors.yellow
  const beside = [...notes.filter(isOfGates), borderlineCount(result.gates) ?? []].flat()
  const head = `${paint(colors.bold(verdictWords(result.verdict)))}${beside.map((words) => `; ${words}`).join('')}`
  const lines = [
    ...reasons.map((reason) => `  ${reason}`),
    ...notes.filter((note) => !isOfGates(note)).map((note) => `  note: ${note}`),
  ]
  const room = MOST_LINES - 1
  if (lines.length <= room) return [head, ...lines]
  const left = lines.length - (room - 1)
  return [head, ...lines.slice(0, room - 1), `  and ${String(left)} more, in the reports`]
}

/** What stands in the verdict's own line: that not all gates were judged. */
const isOfGates = (note: string): boolean => /^\d+ gates? not judged: /.test(note)

function gateTable(result: RunResult, output: Output): string {
  const rows = result.gates.map((gate) => [
    gate.status,
    [gate.rule, ...besideStatus(gate).map((words) => `(${words})`)].join(' '),
    observedWords(gate),
    formatValue(gate.limit, gate.unit),
    String(gate.samples),
  ])
  if (rows.length === 0) return ''
  return `\n${tableOf(['gate', '', 'observed', 'limit', 'samples'], rows, [2, 3, 4], output.color)}\n`
}

function figuresTable(of: 'step' | 'place' | 'network', figures: readonly PartSummary[], output: Output): string {
  const time = (value: number | undefined) => (value === undefined ? '–' : formatMs(value))
  const rows = figures.map(({ name, requests, throughput, failedShare, responseTime: times }) => [
    name,
    String(requests),
    `${throughput.toFixed(1)}/s`,
    `${(100 * failedShare).toFixed(1)} %`,
    time(times?.percentiles['50']),
    time(times?.percentiles['95']),
    time(times?.percentiles['99']),
    time(times?.max),
  ])
  const heads = [of, 'requests', 'throughput', 'failed', 'median', 'p95', 'p99', 'max']
  return tableOf(heads, rows, [1, 2, 3, 4, 5, 6, 7], output.color)
}

function findingLines(result: RunResult, colors: Colors): string {
  const findings = findingsOf(result).filter(({ kind }) => kind !== NOT_FOR_LOGS)
  const lines = findings.slice(0, MOST_FINDINGS).flatMap(({ severity, severityWords, text, tryNext }) => {
    const paint = severity === 'problem' ? colors.red : severity === 'warning' ? colors.yellow : colors.dim
    const next = severity === 'info' ? undefined : tryNext[0]
    return [
      `  ${paint(severityWords.toLowerCase())}  ${text}`,
      ...(next === undefined ? [] : [`           ${colors.dim(next)}`]),
    ]
  })
  return lines.length === 0 ? '' : `\n${lines.join('\n')}\n`
}
