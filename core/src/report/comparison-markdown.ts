// A comparison of two runs as Markdown, for a comment on a change, and its figures for people.
import { LEVEL, comparisonWords, isOfSeveral, runsOfSide, type Change, type Comparison } from '../compare/compare.js'
import { formatMs, formatValue } from '../judge/values.js'
import { cell } from './markdown.js'

/** Writes a comparison as Markdown. */
export function comparisonMarkdown(comparison: Comparison): string {
  const { before, after, warnings, steps, gates } = comparison
  const lines = [
    `## ${cell(comparisonWords(comparison))}`,
    '',
    `Run ${runWords(after)} compared with ${runWords(before)}.`,
    ...warnings.map((warning) => `- ${cell(warning)}`),
    '',
    '| step | figure | before | after | difference | 95 % interval | p | |',
    '|---|---|---:|---:|---:|---:|---:|---|',
    ...steps.flatMap(({ step, changes }) =>
      changes.map((change) => `| ${rowOf(step, change, cell, (word) => `**${word}**`).join(' | ')} |`),
    ),
    ...aloneLines(comparison),
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

const runWords = (side: Comparison['before']): string =>
  [side, ...(side.others ?? [])].map(({ id, verdict }) => `${id} (${verdict})`).join(', ')

/** Steps that are on one side alone. */
function aloneLines({ onlyBefore, onlyAfter }: Comparison): string[] {
  const quoted = (names: readonly string[]) => names.map((name) => cell(`"${name}"`)).join(', ')
  return [
    ...(onlyBefore.length === 0 ? [] : ['', `Missing after: ${quoted(onlyBefore)}`]),
    ...(onlyAfter.length === 0 ? [] : ['', `New after: ${quoted(onlyAfter)}`]),
  ]
}

/**
 * A change as the cells of a row: step, figure, before, after, difference, interval, p, outcome.
 *
 * @param nameOf - how the step is written
 * @param stressed - marks what matters
 */
export function rowOf(
  step: string,
  change: Change,
  nameOf: (step: string) => string,
  stressed: (word: string) => string,
): string[] {
  const { figure, before, after, difference, outcome } = change
  return [
    nameOf(step),
    figure,
    changeValue(change, before),
    changeValue(change, after),
    changeSigned(change, difference),
    changeInterval(change),
    changeP(change),
    outcome === 'worse' || outcome === 'better' ? stressed(outcome) : outcome,
  ]
}

/** How the rows were tested, in a sentence. */
export function comparisonMethod(comparison: Comparison): string {
  const { before, after, smallest } = comparison
  const method = isOfSeveral(comparison)
    ? `Each row by Student's t over its own figure of ${String(runsOfSide(before))} and ${String(runsOfSide(after))} runs`
    : 'Each row by a permutation test of its own figure over blocks of seconds'
  return `${method}, at ${String(100 * LEVEL)} % over all rows together (Holm); differences up to ${String(Number((100 * smallest).toPrecision(3)))} % do not matter.`
}

const changeValue = ({ unit }: Change, value: number): string =>
  unit === 'ms' ? formatMs(value) : formatValue(100 * value, '%')

const changeSigned = (change: Change, value: number): string =>
  `${value < 0 ? '−' : '+'}${changeValue(change, Math.abs(value))}`

const changeInterval = (change: Change): string =>
  change.interval === null
    ? '–'
    : `${changeSigned(change, change.interval[0])} to ${changeSigned(change, change.interval[1])}`

const changeP = ({ p }: Change): string => (p === null ? '–' : p < 0.001 ? '< 0.001' : p.toFixed(3))
