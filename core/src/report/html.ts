// A result as one HTML file: offline, with charts that can be asked, light and dark; nothing is loaded from elsewhere.
import { scaleLinear } from 'd3-scale'
import { observedWords, statusWords } from '../judge/gate-result.js'
import { formatMs, formatValue } from '../judge/values.js'
import { verdictWords } from '../judge/verdict.js'
import { HTML_SCRIPT } from './html-script.js'
import { HTML_STYLE } from './html-style.js'
import type { RunResult } from '../judge/result-schema.js'
import { findingsOf, impactWords } from './explained.js'
import { contextWords } from './result.js'

const VIEW = 960
const LEFT = 64
const WIDTH = VIEW - LEFT - 12
const HEIGHT = 110

interface Line {
  name: string
  unit: string
  tone: 'ink' | 'lake' | 'brick' | 'ochre' | 'soft'
  values: (number | null)[]
}
interface Lane {
  title: string
  unit: string
  lines: Line[]
}

/** Writes a result as a page of its own. */
export function htmlOf(result: RunResult): string {
  const lanes = lanesOf(result)
  const data = {
    atMs: result.series.atMs,
    left: LEFT,
    width: WIDTH,
    view: VIEW,
    lines: lanes.flatMap((lane) => lane.lines.map(({ name, unit, values }) => ({ name, unit, values }))),
  }
  const { plan, target, verdict } = result
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; img-src data:">
<title>${text(`${verdictWords(verdict)}: ${plan.name}`)}</title>
<style>${HTML_STYLE}</style>
</head>
<body>
<header class="${verdict}">
<h1><span class="verdict">${verdictWords(verdict)}</span> ${text(plan.name)}</h1>
<p>${text(target.name)}, ${text(target.origin)} · ${text(result.startedAt.slice(0, 19).replace('T', ' '))} UTC · ${text(plan.file)}${plan.commit === null ? '' : ` at ${text(plan.commit.slice(0, 8))}`} · seed ${String(plan.seed)}${plan.scale === 1 ? '' : ` · scale ${String(plan.scale)}`}${contextWords(
    result,
  )
    .map((words) => ` · ${text(words)}`)
    .join('')}</p>
${result.reasons.map((reason) => `<p class="reason">${text(reason)}</p>`).join('\n')}
</header>
<main>
${gatesTable(result)}
${findingsSection(result)}
<section><h2>Over time</h2>
<p id="readout" role="status"></p>
<div id="charts" tabindex="0" aria-label="Charts of the run; arrow keys move the cursor">
${lanes.map((lane) => laneSvg(lane, result)).join('\n')}
</div></section>
${stepsTable(result)}
${failuresTable(result)}
${generatorTable(result)}
</main>
<script type="application/json" id="data">${JSON.stringify(data).replaceAll('<', '\\u003c')}</script>
<script>${HTML_SCRIPT}</script>
</body>
</html>
`
}

function lanesOf({ series }: RunResult): Lane[] {
  const lanes: Lane[] = [
    {
      title: 'Load',
      unit: '',
      lines: [
        { name: 'arrivals', unit: '/s', tone: 'ink', values: series.arrivals },
        { name: 'users', unit: '', tone: 'lake', values: series.users },
      ],
    },
    {
      title: 'Response time',
      unit: 'ms',
      lines: [
        { name: 'median', unit: ' ms', tone: 'soft', values: series.p50 },
        { name: 'p95', unit: ' ms', tone: 'ink', values: series.p95 },
        { name: 'p99', unit: ' ms', tone: 'ochre', values: series.p99 },
      ],
    },
    {
      title: 'Requests',
      unit: '/s',
      lines: [
        { name: 'requests', unit: '/s', tone: 'ink', values: series.requests },
        { name: 'failed', unit: '/s', tone: 'brick', values: series.failed },
      ],
    },
    {
      title: 'Generator',
      unit: 'ms',
      lines: [{ name: 'start lag p99', unit: ' ms', tone: 'ink', values: series.startLag }],
    },
  ]
  for (const [name, values] of Object.entries(series.metrics))
    lanes.push({ title: name, unit: '', lines: [{ name, unit: '', tone: 'ink', values }] })
  return lanes
}

function laneSvg({ title, unit, lines }: Lane, { series, phases }: RunResult): string {
  const seconds = Math.max(1, series.atMs.length)
  const most = lines.flatMap((line) => line.values).reduce<number>((most, value) => Math.max(most, value ?? 0), 0)
  const [, top = 1] = scaleLinear()
    .domain([0, most > 0 ? most : 1])
    .nice(4)
    .domain()
  const x = (second: number) => LEFT + (WIDTH * second) / seconds
  const y = (value: number) => HEIGHT - 16 - ((HEIGHT - 34) * value) / top
  const borders = phases
    .filter((phase) => phase.track === null || phases.every((other) => other.track !== null))
    .map((phase) => {
      const [from, to] = [x(phase.fromMs / 1000), x(Math.min(seconds, phase.toMs / 1000))]
      if (from >= to) return ''
      const name =
        to - from > 7 * phase.name.length
          ? `<text class="phase" x="${fixed(from + 4)}" y="12">${text(phase.name)}</text>`
          : ''
      return `<line class="border" x1="${fixed(from)}" x2="${fixed(from)}" y1="4" y2="${String(HEIGHT - 16)}"/>${name}${phase.measured ? '' : `<rect class="unmeasured" x="${fixed(from)}" y="16" width="${fixed(to - from)}" height="${String(HEIGHT - 32)}"/>`}`
    })
  const paths = lines.map((line) => `<path class="line ${line.tone}" d="${pathOf(line.values, x, y)}"/>`)
  const legend = lines.map((line) => `<span class="key ${line.tone}">${text(line.name)}</span>`).join(' ')
  return `<figure><figcaption>${text(title)} ${legend}</figcaption>
<svg class="lane" viewBox="0 0 ${String(VIEW)} ${String(HEIGHT)}" role="img" aria-label="${text(title)} over time">
${borders.join('')}
<line class="axis" x1="${String(LEFT)}" x2="${String(LEFT + WIDTH)}" y1="${String(HEIGHT - 16)}" y2="${String(HEIGHT - 16)}"/>
<text class="tick" x="${String(LEFT - 6)}" y="${fixed(y(top) + 4)}">${text(`${String(top)}${unit === '' ? '' : ` ${unit}`}`)}</text>
<text class="tick" x="${String(LEFT - 6)}" y="${String(HEIGHT - 13)}">0</text>
${ticksOf(seconds, x)}
${paths.join('\n')}
<line class="cursor" y1="4" y2="${String(HEIGHT - 16)}" style="display:none"/>
</svg></figure>`
}

function ticksOf(seconds: number, x: (second: number) => number): string {
  const marks = TICK_SECONDS.find((step) => seconds / step <= 10) ?? 14_400
  return Array.from({ length: Math.ceil(seconds / marks) }, (_, index) => index * marks)
    .map((second) => {
      const clock = `${String(Math.floor(second / 60))}:${String(second % 60).padStart(2, '0')}`
      return `<text class="tick middle" x="${fixed(x(second))}" y="${String(HEIGHT - 3)}">${clock}</text>`
    })
    .join('')
}
const TICK_SECONDS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200]

function pathOf(
  values: readonly (number | null)[],
  x: (second: number) => number,
  y: (value: number) => number,
): string {
  let path = ''
  let isDown = false
  for (const [second, value] of values.entries()) {
    if (value === null) {
      isDown = false
      continue
    }
    path += `${isDown ? 'L' : 'M'}${fixed(x(second + 0.5))} ${fixed(y(value))}`
    // A point between two gaps is drawn as a dot.
    if (!isDown && (values[second + 1] ?? null) === null) path += 'h0'
    isDown = true
  }
  return path
}

const fixed = (value: number): string => value.toFixed(1)

// ---------- tables

function table(title: string, head: string[], rows: string[][], words: number): string {
  const cell = (tag: string, value: string, index: number) =>
    `<${tag}${index >= words ? ' class="number"' : ''}>${value}</${tag}>`
  const row = (cells: string[], tag: string) =>
    `<tr>${cells.map((value, index) => cell(tag, value, index)).join('')}</tr>`
  return `<section><h2>${title}</h2><table><thead>${row(head, 'th')}</thead><tbody>${rows.map((cells) => row(cells, 'td')).join('\n')}</tbody></table></section>`
}

function gatesTable({ gates }: RunResult): string {
  if (gates.length === 0) return '<p>This plan has no gates.</p>'
  const rows = gates.map((gate) => [
    `<span class="status ${gate.status.replace(' ', '-')}">${statusWords(gate)}</span>`,
    text(gate.rule),
    text(observedWords(gate)),
    text(formatValue(gate.limit, gate.unit)),
    gate.interval === null ? '' : text(gate.interval.map((end) => formatValue(end, gate.unit)).join(' to ')),
    String(gate.samples),
  ])
  return table('Gates', ['status', 'gate', 'observed', 'limit', '95 % interval', 'samples'], rows, 2)
}

function findingsSection(result: RunResult): string {
  const [findings, impact] = [findingsOf(result), impactWords(result)]
  if (findings.length === 0 && impact === undefined) return ''
  const items = findings.map(
    ({ level, levelWords, text: words, tryNext }) =>
      `<li class="${level}"><strong>${levelWords}</strong> ${text(words)}${tryNext.length === 0 ? '' : `<ul>${tryNext.map((one) => `<li>${text(one)}</li>`).join('')}</ul>`}</li>`,
  )
  return `<section><h2>Findings</h2>${items.length === 0 ? '<p>Nothing stands out.</p>' : `<ul class="findings">${items.join('')}</ul>`}${impact === undefined ? '' : `<p>${text(impact)}</p>`}</section>`
}

function stepsTable({ steps, groups }: RunResult): string {
  const time = (value: number | undefined) => (value === undefined ? '–' : text(formatMs(value)))
  const rows = steps.map((step) => {
    const times = step.responseTime
    const failed = `${(100 * step.failedShare).toFixed(1)} %`
    return [
      text(step.name),
      String(step.requests),
      `${step.throughput.toFixed(1)}/s`,
      failed,
      time(times?.percentiles['50']),
      time(times?.percentiles['95']),
      time(times?.percentiles['99']),
      time(times?.max),
    ]
  })
  const inner = groups.map((group) => [
    `${text(group.name)} (group)`,
    String(group.count),
    '',
    String(group.failed),
    time(group.time?.percentiles['50']),
    time(group.time?.percentiles['95']),
    time(group.time?.percentiles['99']),
    time(group.time?.max),
  ])
  return table(
    'Steps',
    ['step', 'requests', 'throughput', 'failed', 'median', 'p95', 'p99', 'max'],
    [...rows, ...inner],
    1,
  )
}

function failuresTable({ steps }: RunResult): string {
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

function generatorTable({ generator }: RunResult): string {
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

/** Text that can be no markup, in content and in attributes. */
function text(value: string): string {
  return value.replaceAll(/[&<>"']/g, (char) => `&#${String(char.charCodeAt(0))};`)
}
