// A result as Markdown, short enough for a comment on a change.
import { formatMs, formatValue } from '../judge/verdict.js'
import type { RunResult } from './result.js'

/** Writes a result as Markdown. */
export function markdownOf(result: RunResult): string {
  const breached = result.gates.filter((gate) => gate.status === 'breached').length
  const lines = [
    `## ${titleOf(result.verdict)}: ${cell(result.plan.name)}`,
    '',
    `${String(breached)} of ${String(result.gates.length)} gates breached, ${String(result.totals.requests)} requests over ${String(result.measuredMs / 1000)} s against ${cell(result.target.origin)}.`,
    ...result.reasons.map((reason) => `- ${cell(reason)}`),
    '',
    '| gate | status | observed | limit |',
    '|---|---|---:|---:|',
    ...result.gates.map(
      (gate) =>
        `| ${cell(gate.rule)} | ${gate.status}${gate.close ? ', close' : ''} | ${formatValue(gate.observed, gate.unit)} | ${formatValue(gate.limit, gate.unit)} |`,
    ),
    '',
    '| step | requests | failed | median | p95 | p99 | max |',
    '|---|---:|---:|---:|---:|---:|---:|',
    ...result.steps.map((step) => {
      const times = step.responseTime
      const time = (value: number | undefined) => (value === undefined ? '–' : formatMs(value))
      return `| ${cell(step.name)} | ${String(step.requests)} | ${(100 * step.failedShare).toFixed(1)} % | ${time(times?.p50)} | ${time(times?.p95)} | ${time(times?.p99)} | ${time(times?.max)} |`
    }),
    '',
    `Run ${result.id}, seed ${String(result.plan.seed)}${result.plan.commit === null ? '' : `, commit ${result.plan.commit.slice(0, 8)}`}; generator ${result.generator.trusted ? 'trusted' : 'not trusted'}, start lag p99 ${formatMs(result.generator.startLag.p99 ?? 0)}.`,
  ]
  return `${lines.join('\n')}\n`
}

export function titleOf(verdict: RunResult['verdict']): string {
  return verdict.charAt(0).toUpperCase() + verdict.slice(1)
}

/** A text that cannot break a table or become markup. */
export function cell(text: string): string {
  return text.replaceAll(/[\\|<>*_`[\]]/g, '\\$&').replaceAll(/\s+/g, ' ')
}
