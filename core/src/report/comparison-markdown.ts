// A comparison of two runs as Markdown, for a comment on a change, and its figures for people.
import { LEVEL, comparisonWords, type Change, type Comparison } from '../compare/compare.js'
import { formatMs, formatValue } from '../judge/values.js'
import { cell } from './markdown.js'

/** Writes a comparison as Markdown. */
export function comparisonMarkdown(comparison: Comparison): string {
  const { before, after, warnings, steps, gates } = comparison
  const rowOf = (step: string, change: Change) =>
    [
      cell(step),
      change.figure,
      changeValue(change, change.before),
      changeValue(change, change.after),
      changeSigned(change, change.difference),
      changeInterval(change),
      changeP(change),
      change.outcome === 'worse' || change.outcome === 'better' ? `**${change.outcome}**` : change.outcome,
    ].join(' | ')
  const lines = [
    `## ${cell(comparisonWords(comparison))}`,
    '',
    `Run ${after.id} (${after.verdict}) compared with ${before.id} (${before.verdict}).`,
    ...warnings.map((warning) => `- ${cell(warning)}`),
    '',
    '| step | figure | before | after | difference | 95 % interval | p | |',
    '|---|---|---:|---:|---:|---:|---:|---|',
    ...steps.flatMap(({ step, changes }) => changes.map((change) => `| ${rowOf(step, change)} |`)),
    '',
    '| gate | before | after |',
    '|---|---:|---:|',
    ...gates.map(
      ({ rule, unit, before: from, after: to }) =>
        `| ${cell(rule)} | ${formatValue(from, unit)} | ${formatValue(to, unit)} |`,
    ),
    '',
    comparisonMethod(comparison),
  ]
  return `${lines.join('\n')}\n`
}

/** How the rows were tested, in a sentence. */
export const comparisonMethod = ({ smallest }: Comparison): string =>
  `Each row by a permutation test of its own figure over blocks of seconds, at ${String(100 * LEVEL)} % over all rows together (Holm); differences up to ${String(Number((100 * smallest).toPrecision(3)))} % do not matter.`

export const changeValue = ({ unit }: Change, value: number): string =>
  unit === 'ms' ? formatMs(value) : formatValue(100 * value, '%')

export const changeSigned = (change: Change, value: number): string =>
  `${value < 0 ? '−' : '+'}${changeValue(change, Math.abs(value))}`

export const changeInterval = (change: Change): string =>
  change.interval === null
    ? '–'
    : `${changeSigned(change, change.interval[0])} to ${changeSigned(change, change.interval[1])}`

export const changeP = ({ p }: Change): string => (p === null ? '–' : p < 0.001 ? '< 0.001' : p.toFixed(3))
