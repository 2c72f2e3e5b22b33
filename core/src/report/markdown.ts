// A result as Markdown, short enough for a comment on a change.
import { gateCountWords, observedWords, statusWords } from '../judge/gate-result.js'
import { formatMs, formatValue } from '../judge/values.js'
import { verdictWords } from '../judge/verdict-words.js'
import { causesOf, causeWords, MOST_CAUSES } from './causes.js'
import { findingsOf, impactWords } from './explained.js'
import type { RunResult } from '../judge/result-schema.js'
import type { PartSummary } from '../view/parts.js'
import { contextWords } from './result.js'

/** Writes a result as Markdown. */
export function markdownOf(result: RunResult): string {
  const lines = [
    `## ${verdictWords(result.verdict)}: ${cell(result.plan.name)}`,
    '',
    `${sentence(gateCountWords(result.gates))}; ${String(result.totals.requests)} requests over ${formatMs(result.measuredMs)} against ${cell(result.target.origin)}.`,
    ...result.reasons.map((reason) => `- ${cell(reason)}`),
    ...(result.notes ?? []).map((note) => `- note: ${cell(note)}`),
    '',
    '| gate | status | observed | limit |',
    '|---|---|---:|---:|',
    ...result.gates.map(
      (gate) =>
        `| ${cell(gate.rule)} | ${statusWords(gate)} | ${observedWords(gate)} | ${formatValue(gate.limit, gate.unit)} |`,
    ),
    '',
    ...figuresTable('step', result.steps),
    ...(result.places === undefined ? [] : ['', ...figuresTable('place', result.places)]),
    ...(result.networks === undefined ? [] : ['', ...figuresTable('network', result.networks)]),
    ...causesIn(result),
    ...explainedIn(result),
    '',
    `Run ${result.id}, seed ${String(result.plan.seed)}${result.plan.commit === null ? '' : `, commit ${result.plan.commit.slice(0, 8)}`}${contextWords(
      result,
    )
      .map((words) => `, ${cell(words)}`)
      .join('')}; start lag p99 ${formatMs(result.generator.startLag.p99 ?? 0)}.`,
  ]
  return `${lines.join('\n')}\n`
}

function figuresTable(of: 'step' | 'place' | 'network', figures: readonly PartSummary[]): string[] {
  const time = (value: number | undefined) => (value === undefined ? '–' : formatMs(value))
  return [
    `| ${of} | requests | failed | median | p95 | p99 | max |`,
    '|---|---:|---:|---:|---:|---:|---:|',
    ...figures.map(({ name, requests, failedShare, responseTime: times }) => {
      const percentile = (percent: '50' | '95' | '99') => time(times?.percentiles[percent])
      return `| ${cell(name)} | ${String(requests)} | ${(100 * failedShare).toFixed(1)} % | ${percentile('50')} | ${percentile('95')} | ${percentile('99')} | ${time(times?.max)} |`
    }),
  ]
}

const sentence = (words: string): string => words.charAt(0).toUpperCase() + words.slice(1)

function explainedIn(result: RunResult): string[] {
  const [findings, impact] = [findingsOf(result), impactWords(result)]
  return [
    ...(findings.length === 0 ? [] : ['', 'Findings:']),
    ...findings.map(
      ({ severityWords, text, tryNext }) =>
        `- **${severityWords}** ${cell(text)}${tryNext[0] === undefined ? '' : ` *${cell(tryNext[0])}*`}`,
    ),
    ...(impact === undefined ? [] : ['', cell(impact)]),
  ]
}

function causesIn(result: RunResult): string[] {
  const causes = causesOf(result)
  if (causes.length === 0) return []
  const more = causes.length - MOST_CAUSES
  return [
    '',
    'Failures:',
    ...causes.slice(0, MOST_CAUSES).map((cause) => `- ${cell(causeWords(cause))}`),
    ...(more > 0 ? [`- and ${String(more)} more kinds`] : []),
  ]
}

/** A text that cannot break a table, nor become markup, a link, or a call of somebody by name. */
export function cell(text: string): string {
  return (
    text
      .replaceAll(/[\\|<>*_`[\]]|:(?=\/\/)|(?<=\bwww)\./gi, '\\$&')
      .replaceAll(/\s+/g, ' ')
      // Who is named is found in what is shown, after any backslash: a space without width stands in between.
      .replaceAll('@', '@\u200b')
  )
}
