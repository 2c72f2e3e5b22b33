// What a run came to, as the terminal and the log of a pipeline show it.
import pc from 'picocolors'
import {
  causesOf,
  causeWords,
  findingsOf,
  impactWords,
  formatMs,
  formatValue,
  observedWords,
  statusWords,
  verdictWords,
  type Judgement,
  type RunResult,
} from '@jolt-gate/core'
import type { Output } from './options.js'
import { tableOf } from './tables.js'

/** Causes of failures that are printed; the reports have all. */
const MOST_CAUSES = 20
const MOST_FINDINGS = 12

export function printResult(
  result: RunResult,
  judgement: Judgement,
  output: Output,
  stream: NodeJS.WritableStream,
): void {
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
    const findings = findingsOf(result)
    if (findings.length > 0) stream.write('\n')
    for (const { level, levelWords, text, tryNext } of findings.slice(0, MOST_FINDINGS)) {
      const paintLevel = level === 'problem' ? colors.red : level === 'warning' ? colors.yellow : colors.dim
      stream.write(`  ${paintLevel(levelWords.toLowerCase())}  ${text}\n`)
      if (tryNext[0] !== undefined && level !== 'note') stream.write(`           ${colors.dim(tryNext[0])}\n`)
    }
    const impact = impactWords(result)
    if (impact !== undefined) stream.write(`\n  ${impact}\n`)
    stream.write('\n')
  }
  const reasons = judgement.reasons.length === 0 ? '' : `: ${judgement.reasons.join('; ')}`
  stream.write(`${paint(colors.bold(verdictWords(result.verdict)))}${reasons}\n`)
}
