// The tables of the HTML report.
import { besideStatus, intervalWords, observedWords } from '../judge/gate-result.js'
import { formatMs, formatValue } from '../judge/values.js'
import type { RunResult } from '../judge/result-schema.js'
import { findingsOf, impactWords } from './explained.js'
import { text } from './html-text.js'
import type { PartSummary } from '../view/parts.js'

function table(title: string, head: string[], rows: string[][], words: number): string {
  const cell = (tag: string, value: string, index: number) =>
    `<${tag}${index >= words ? ' class="number"' : ''}>${value}</${tag}>`
  const row = (cells: string[], tag: string) =>
    `<tr>${cells.map((value, index) => cell(tag, value, index)).join('')}</tr>`
  return `<section><h2>${title}</h2><table><thead>${row(head, 'th')}</thead><tbody>${rows.map((cells) => row(cells, 'td')).join('\n')}</tbody></table></section>`
}

export function gatesTable({ gates }: RunResult): string {
  if (gates.length === 0) return '<p>This plan has no gates.</p>'
  const rows = gates.map((gate) => [
    `<span class="status ${gate.status.replace(' ', '-')}">${gate.status}</span>`,
    [text(gate.rule), ...besideStatus(gate).map((words) => `<small>${text(words)}</small>`)].join(' '),
    text(observedWords(gate)),
    text(formatValue(gate.limit, gate.unit)),
    text(intervalWords(gate) ?? ''),
    String(gate.samples),
  ])
  return table('Gates', ['status', 'gate', 'observed', 'limit', '95 % interval', 'samples'], rows, 2)
}

export function findingsSection(result: RunResult): string {
  const [findings, impact] = [findingsOf(result), impactWords(result)]
  if (findings.length === 0 && impact === undefined) return ''
  const items = findings.map(
    ({ severity, severityWords, text: words, tryNext }) =>
      `<li class="${severity}"><strong>${severityWords}</strong> ${text(words)}${tryNext.length === 0 ? '' : `<ul>${tryNext.map((one) => `<li>${text(one)}</li>`).join('')}</ul>`}</li>`,
  )
  return `<section><h2>Findings</h2>${items.length === 0 ? '<p>Nothing stands out.</p>' : `<ul class="findings">${items.join('')}</ul>`}${impact === undefined ? '' : `<p>${text(impact)}</p>`}</section>`
}

const time = (value: number | undefined) => (value === undefined ? '–' : text(formatMs(value)))
const FIGURES = ['requests', 'failed', 'failed %', 'throughput', 'median', 'p95', 'p99', 'max']

const figureRows = (figures: readonly PartSummary[]): string[][] =>
  figures.map((step) => {
    const times = step.responseTime
    return [
      text(step.name),
      String(step.requests),
      String(step.failed),
      `${(100 * step.failedShare).toFixed(1)} %`,
      `${step.throughput.toFixed(1)}/s`,
      time(times?.percentiles['50']),
      time(times?.percentiles['95']),
      time(times?.percentiles['99']),
      time(times?.max),
    ]
  })

export function stepsTable({ steps, groups }: RunResult): string {
  const inner = groups.map((group) => [
    `${text(group.name)} (group)`,
    String(group.count),
    String(group.failed),
    group.count + group.failed === 0 ? '–' : `${((100 * group.failed) / (group.count + group.failed)).toFixed(1)} %`,
    '',
    time(group.time?.percentiles['50']),
    time(group.time?.percentiles['95']),
    time(group.time?.percentiles['99']),
    time(group.time?.max),
  ])
  return table('Steps', ['step', ...FIGURES], [...figureRows(steps), ...inner], 1)
}

export function placesTable({ places }: RunResult): string {
  return places === undefined ? '' : table('Places', ['place', ...FIGURES], figureRows(places), 1)
}

export function networksTable({ networks }: RunResult): string {
  return networks === undefined ? '' : table('Networks', ['network', ...FIGURES], figureRows(networks), 1)
}

export function failuresTable({ steps }: RunResult): string {
  const rows = steps.flatMap((step) =>
    step.failures.map((failure) => [
      text(step.name),
      text(failure.kind),
      text(failure.detail),
      `<code>${text(failure.sample.slice(0, 200))}</code>`,
      String(failure.count),
      `${(failure.firstAtMs / 1000).toFixed(1)} s`,
    ]),
  )
  return rows.length === 0 ? '' : table('Failures', ['step', 'kind', 'detail', 'sample', 'count', 'first'], rows, 4)
}

export function slowestTable({ steps, target }: RunResult): string {
  const ms = (value: number | null) => (value === null ? '–' : text(formatMs(value)))
  const traceOf = (trace: string | null) => {
    if (trace === null) return ''
    const address = target.traces?.replace('{trace}', encodeURIComponent(trace))
    const id = `<code>${text(trace)}</code>`
    return address === undefined ? id : `<a href="${text(address)}" rel="noopener noreferrer">${id}</a>`
  }
  const rows = steps.flatMap(({ name, slowest = [] }) =>
    slowest
      .slice(0, 3)
      .map((one) => [
        text(name),
        traceOf(one.trace),
        `${(one.dueMs / 1000).toFixed(1)} s`,
        ...[one.total, one.connect, one.firstByte, one.receive].map(ms),
      ]),
  )
  return rows.length === 0
    ? ''
    : table('Slowest', ['step', 'trace', 'due', 'total', 'connecting', 'first byte', 'receiving'], rows, 2)
}

export function generatorTable({ generator }: RunResult): string {
  const ms = (value: number | null) => (value === null ? '–' : text(formatMs(value)))
  const rows = [
    [
      'start lag p50, p99, max',
      `${ms(generator.startLag.p50)}, ${ms(generator.startLag.p99)}, ${ms(generator.startLag.max)}`,
    ],
    ['busy mean, max', `${(100 * generator.busy.mean).toFixed(0)} %, ${(100 * generator.busy.max).toFixed(0)} %`],
    ...(generator.error === undefined
      ? []
      : [
          [
            'error of times p50, p99, max',
            `${ms(generator.error.p50)}, ${ms(generator.error.p99)}, ${ms(generator.error.max)}`,
          ],
        ]),
    ['event loop delay p99, max', `${ms(generator.eventLoopDelay.p99)}, ${ms(generator.eventLoopDelay.max)}`],
    [
      'calibrated',
      generator.calibration === null
        ? 'not on this machine'
        : `${text(generator.calibration.at.slice(0, 10))}: ${generator.calibration.requestsPerSecond.toFixed(0)} requests/s`,
    ],
  ]
  return table(
    generator.reasons.length === 0 ? 'Generator' : 'Generator: the run is void',
    ['measure', 'value'],
    rows,
    1,
  )
}

/** The journeys, with the groups in them. */
export function journeysTable({ journeys }: RunResult): string {
  const time = (value: number | undefined) => (value === undefined ? '–' : text(formatMs(value)))
  const rows = journeys.map((journey) => [
    text(journey.name),
    ...[journey.started, journey.finished, journey.failed, journey.cutOff, journey.unfinished ?? 0].map(String),
    time(journey.time?.percentiles['50']),
    time(journey.time?.percentiles['95']),
  ])
  return table(
    'Journeys',
    ['journey', 'started', 'finished', 'failed', 'of these cut off', 'unfinished', 'median', 'p95'],
    rows,
    1,
  )
}

export function phasesTable({ phases }: RunResult): string {
  const rows = phases.map((phase) => [
    `${text(phase.name)}${phase.measured ? '' : ' (not measured)'}`,
    `${(phase.fromMs / 1000).toFixed(0)} to ${(phase.toMs / 1000).toFixed(0)} s`,
    String(Math.round(phase.arrivalsDue)),
    String(phase.arrivalsStarted),
    String(phase.peakUsers),
    `${phase.throughput.toFixed(1)}/s`,
  ])
  return table('Phases', ['phase', 'from, to', 'due', 'started', 'peak users', 'throughput'], rows, 1)
}
