// A comparison of two runs as Markdown, for a comment on a change.
import type { Change, Comparison } from '../compare/compare.js'
import { formatMs } from '../judge/values.js'
import { cell } from './markdown.js'

/** Writes a comparison as Markdown. */
export function comparisonMarkdown({ before, after, warnings, steps, gates }: Comparison): string {
  const value = ({ unit }: Change, figure: number) =>
    unit === 'ms' ? formatMs(figure) : `${(100 * figure).toFixed(2)} %`
  const signed = (change: Change, figure: number) => `${figure < 0 ? '−' : '+'}${value(change, Math.abs(figure))}`
  const significant = steps.flatMap((step) => step.changes).filter((change) => change.significant).length
  const lines = [
    `## ${String(significant)} significant ${significant === 1 ? 'difference' : 'differences'}`,
    '',
    `Run ${after.id} (${after.verdict}) compared with ${before.id} (${before.verdict}).`,
    ...warnings.map((warning) => `- ${cell(warning)}`),
    '',
    '| step | figure | before | after | difference | 95 % interval | p | |',
    '|---|---|---:|---:|---:|---:|---:|---|',
    ...steps.flatMap(({ step, changes }) =>
      changes.map(
        (change) =>
          `| ${cell(step)} | ${change.figure} | ${value(change, change.before)} | ${value(change, change.after)} | ${signed(change, change.difference)} | ${signed(change, change.interval[0])} to ${signed(change, change.interval[1])} | ${change.p < 0.001 ? '< 0.001' : change.p.toFixed(3)} | ${change.significant ? '**significant**' : 'not significant'} |`,
      ),
    ),
    '',
    '| gate | before | after |',
    '|---|---:|---:|',
    ...gates.map((gate) => `| ${cell(gate.rule)} | ${plain(gate.before)} | ${plain(gate.after)} |`),
    '',
    'Response times by the Mann–Whitney U test, failures by the two-proportion z test; p is corrected for all rows together (Holm 1979).',
  ]
  return `${lines.join('\n')}\n`
}

const plain = (value: number | null): string => (value === null ? '–' : String(Number(value.toPrecision(4))))
