// The charts of the HTML report, as SVG.
import { scaleLinear } from 'd3-scale'
import type { RunResult } from '../judge/result-schema.js'
import { readSentence } from '../language/sentences.js'
import { isUpperLimit } from '../language/comparisons.js'
import { decodeHdr } from '../measure/hdr.js'
import { bytesOfBase64 } from '../numbers/base64.js'
import { timeTicks } from '../view/time-ticks.js'
import { text } from './html-text.js'

export const VIEW = 960
export const LEFT = 64
export const WIDTH = VIEW - LEFT - 12
const HEIGHT = 110

interface Line {
  name: string
  unit: string
  /** As on the page: median lake, p95 slate, p99 far. */
  tone: 'ink' | 'lake' | 'brick' | 'ochre' | 'slate' | 'far'
  isDashed?: boolean
  values: (number | null)[]
}
interface ReportLane {
  title: string
  unit: string
  lines: Line[]
  /** Seconds from one value to the next. */
  stepSeconds: number
  /** Limits of gates, in the unit of the lane, over the seconds in which they apply. */
  limits: { value: number; rule: string; spans: { fromSecond: number; toSecond: number }[] }[]
}

export function lanesOf(result: RunResult): ReportLane[] {
  const { series } = result
  const lanes: Omit<ReportLane, 'stepSeconds' | 'limits'>[] = [
    {
      title: 'Load',
      unit: '',
      lines: [
        { name: 'due', unit: '/s', tone: 'lake', values: series.arrivalsDue },
        { name: 'started', unit: '/s', tone: 'far', values: series.arrivals },
        { name: 'users', unit: '', tone: 'slate', isDashed: true, values: series.users },
      ],
    },
    {
      title: 'Response time',
      unit: 'ms',
      lines: [
        { name: 'median', unit: ' ms', tone: 'lake', values: series.p50 },
        { name: 'p95', unit: ' ms', tone: 'slate', values: series.p95 },
        { name: 'p99', unit: ' ms', tone: 'far', values: series.p99 },
      ],
    },
    {
      title: 'Failures',
      unit: '/s',
      lines: failureLines(series),
    },
    {
      title: 'Throughput',
      unit: '/s',
      lines: [{ name: 'passed', unit: '/s', tone: 'lake', values: passedIn(series) }],
    },
    ...metricLanes(series),
    {
      title: 'Generator',
      unit: 'ms',
      lines: [{ name: 'start lag p99', unit: ' ms', tone: 'lake', values: series.startLag }],
    },
  ]
  return lanes.map((lane) => ({
    ...lane,
    stepSeconds: 1,
    limits: lane.title === 'Response time' ? limitsOf(result) : [],
  }))
}

type Series = RunResult['series']
const TONES = ['brick', 'ochre', 'slate', 'ink'] as const
const METRIC_TONES = ['lake', 'ochre', 'slate', 'ink'] as const

/** By kind, where the result has them; results of old have their sum alone. */
function failureLines(series: Series): Line[] {
  const kinds = Object.entries(series.failures ?? {})
  if (kinds.length === 0) return [{ name: 'failed', unit: '/s', tone: 'brick', values: series.failed }]
  return kinds.map(([name, values], index) => ({ name, unit: '/s', tone: TONES[index] ?? 'ink', values }))
}

const passedIn = ({ requests, failed }: Series): number[] =>
  requests.map((all, second) => Math.max(0, all - (failed[second] ?? 0)))

function metricLanes({ metrics }: Series): Omit<ReportLane, 'stepSeconds' | 'limits'>[] {
  const lines = Object.entries(metrics).map(([name, values], index): Line => ({
    ...{ name, unit: '', values },
    tone: METRIC_TONES[index] ?? 'ink',
  }))
  return lines.length === 0 ? [] : [{ title: 'Target metrics', unit: '', lines }]
}

export function laneSvg(
  { title, unit, lines, stepSeconds, limits }: ReportLane,
  { series, phases }: RunResult,
): string {
  const seconds = Math.max(1, series.atMs.length)
  const values = lines.flatMap((line) => line.values)
  const highest = values.reduce<number>((most, value) => Math.max(most, value ?? 0), 0)
  // A limit far above all that was measured would flatten it.
  const shown = limits.filter(({ value }) => value <= 2 * highest)
  const most = Math.max(highest, ...shown.map(({ value }) => value))
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
  const paths = lines.map(
    (line) =>
      `<path class="line ${line.tone}${line.isDashed === true ? ' dashed' : ''}" d="${pathOf(line.values, (at) => x(at * stepSeconds), y)}"/>`,
  )
  const limitLines = shown.flatMap(({ value, rule, spans }) =>
    spans.map(
      ({ fromSecond, toSecond }) =>
        `<line class="limit" x1="${fixed(x(fromSecond))}" x2="${fixed(x(Math.min(seconds, toSecond)))}" y1="${fixed(y(value))}" y2="${fixed(y(value))}"><title>${text(rule)}</title></line>`,
    ),
  )
  const legend = lines.map((line) => `<span class="key ${line.tone}">${text(line.name)}</span>`).join(' ')
  return `<figure><figcaption>${text(title)} ${legend}</figcaption>
<svg class="lane" viewBox="0 0 ${String(VIEW)} ${String(HEIGHT)}" role="img" aria-label="${text(title)} over time">
${borders.join('')}
<line class="axis" x1="${String(LEFT)}" x2="${String(LEFT + WIDTH)}" y1="${String(HEIGHT - 16)}" y2="${String(HEIGHT - 16)}"/>
<text class="tick" x="${String(LEFT - 6)}" y="${fixed(y(top) + 4)}">${text(`${String(top)}${unit === '' ? '' : ` ${unit}`}`)}</text>
<text class="tick" x="${String(LEFT - 6)}" y="${String(HEIGHT - 13)}">0</text>
${ticksOf(seconds, x)}
${paths.join('\n')}
${limitLines.join('\n')}
<line class="cursor" y1="4" y2="${String(HEIGHT - 16)}" style="display:none"/>
</svg></figure>`
}

function ticksOf(seconds: number, x: (second: number) => number): string {
  return timeTicks(seconds, 10)
    .filter((second) => second < seconds)
    .map((second) => {
      const clock = `${String(Math.floor(second / 60))}:${String(second % 60).padStart(2, '0')}`
      return `<text class="tick middle" x="${fixed(x(second))}" y="${String(HEIGHT - 3)}">${clock}</text>`
    })
    .join('')
}

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

/** Hundreds of charts in a report are too many to read. */
const MOST_STEP_LANES = 40

/** A lane for each step: its p95 and what failed, by the blocks in which the result keeps it. */
export function stepLanesOf(result: RunResult): ReportLane[] {
  const { blocks } = result
  if (blocks === undefined || result.steps.length < 2) return []
  return blocks.steps.slice(0, MOST_STEP_LANES).map(({ name, data, at }) => {
    const p95 = new Array<number | null>(at === undefined ? data.length : Math.max(0, ...at) + 1).fill(null)
    for (const [index, text] of data.entries()) {
      const times = decodeHdr(bytesOfBase64(text))
      if (times.count > 0) p95[at?.[index] ?? index] = times.percentile(95) / 1000
    }
    return {
      title: name,
      unit: 'ms',
      stepSeconds: blocks.seconds,
      lines: [{ name: 'p95', unit: ' ms', tone: 'slate', values: p95 }],
      limits: limitsOf(result, name),
    }
  })
}

/** Upper limits of response times: of all steps, or of one by its name. */
function limitsOf({ gates, phases }: RunResult, step?: string): ReportLane['limits'] {
  return gates.flatMap(({ rule, limit }) => {
    const read = readSentence('Gate', rule)
    if (!read.ok || limit === null) return []
    const { measure, comparison, of, during } = read.value
    const isOfLane = step === undefined ? of.kind === 'all' : of.kind === 'names' && of.names.includes(step)
    if (measure.kind !== 'response time' || !isUpperLimit(comparison) || !isOfLane) return []
    const spans = phases
      .filter(({ name, measured }) => measured && (during.length === 0 || during.includes(name)))
      .map(({ fromMs, toMs }) => ({ fromSecond: fromMs / 1000, toSecond: toMs / 1000 }))
    return [{ value: limit, rule, spans }]
  })
}
