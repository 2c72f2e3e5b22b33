// What all lanes share, drawn on each: phase borders, warm-up hatching and limit lines with the chart; the selected
// range, marks and the cursor on a canvas behind it, since they move while the chart stays.
import type { Chart, Plugin } from 'chart.js'
import type { LimitLine, TimeRange } from '@jolt-gate/core'

export interface LanePhase {
  name: string
  fromSecond: number
  toSecond: number
  measured: boolean
}

/** What the plugins draw; one object is shared by all lanes and changed in place. */
export interface LaneOverlay {
  phases: LanePhase[]
  limitLines: LimitLine[]
  /** What somebody marked on the time axis, in seconds. */
  marks: number[]
  cursorSecond: number | null
  range: TimeRange | null
}

export interface Palette {
  ink: string
  rule: string
  soft: string
  lake: string
  brick: string
  ochre: string
  slate: string
  /** Bars of what started, and the line of p99 with what lies under it. */
  started: string
  far: string
  farFill: string
  /** What the person has marked, and what stands behind a label. */
  marked: string
  veil: string
}

export function paletteOf(element: Element): Palette {
  const styles = getComputedStyle(element)
  const token = (name: string) => styles.getPropertyValue(`--${name}`).trim()
  return {
    ink: token('ink'),
    rule: token('rule'),
    soft: token('soft'),
    lake: token('lake'),
    brick: token('brick'),
    ochre: token('ochre'),
    slate: token('slate'),
    started: token('lane-started'),
    far: token('lane-far'),
    farFill: token('lane-far-fill'),
    marked: token('marked'),
    veil: token('veil'),
  }
}

/** Stripes for what is not measured, or lies beyond a gate. */
export function hatching(
  context: CanvasRenderingContext2D,
  color: string,
  gap: number,
  width: number,
): CanvasPattern | string {
  const tile = document.createElement('canvas')
  tile.width = tile.height = gap
  const pen = tile.getContext('2d')
  if (pen === null) return color
  pen.strokeStyle = color
  pen.lineWidth = width
  for (const shift of [-gap, 0, gap]) {
    pen.moveTo(shift, gap)
    pen.lineTo(shift + gap, 0)
  }
  pen.stroke()
  return context.createPattern(tile, 'repeat') ?? color
}

export function overlayPlugin(
  overlay: LaneOverlay,
  palette: Palette,
  lane: LimitLine['lane'] | null,
): Plugin<'line' | 'bar'> {
  return {
    id: 'overlay',
    beforeDatasetsDraw(chart) {
      const { ctx, chartArea: area } = chart
      const x = xOf(chart)
      ctx.save()
      for (const phase of overlay.phases) {
        if (!phase.measured) {
          ctx.fillStyle = hatching(ctx, palette.rule, 8, 1.5)
          ctx.fillRect(x(phase.fromSecond), area.top, x(phase.toSecond) - x(phase.fromSecond), area.height)
        }
        line(ctx, x(phase.fromSecond), area.top, x(phase.fromSecond), area.bottom, palette.rule, 1)
      }
      ctx.restore()
      for (const limitLine of overlay.limitLines)
        if (limitLine.lane === lane && limitLine.isBreached) hatchBeyond(chart, limitLine, palette)
    },
    afterDatasetsDraw(chart) {
      const { ctx, chartArea: area } = chart
      ctx.save()
      drawLimitLines(
        chart,
        overlay.limitLines.filter((limitLine) => limitLine.lane === lane),
        palette,
      )
      ctx.strokeStyle = palette.rule
      ctx.lineWidth = 1
      ctx.strokeRect(area.left, area.top, area.width, area.height)
      ctx.restore()
    },
  }
}

/** Draws what moves behind a chart that stays: the selected range, marks, the cursor. */
export function drawBehind(canvas: HTMLCanvasElement, chart: Chart, overlay: LaneOverlay, palette: Palette): void {
  const { chartArea: area, width, height, currentDevicePixelRatio: scale } = chart
  if (canvas.width !== width * scale || canvas.height !== height * scale) {
    canvas.width = width * scale
    canvas.height = height * scale
  }
  const ctx = canvas.getContext('2d')
  if (ctx === null) return
  const x = xOf(chart)
  ctx.setTransform(scale, 0, 0, scale, 0, 0)
  ctx.clearRect(0, 0, width, height)
  const upright = (second: number, color: string, thick: number) => {
    line(ctx, x(second), area.top, x(second), area.bottom, color, thick)
  }
  const { range, marks, cursorSecond } = overlay
  if (range !== null) {
    ctx.fillStyle = palette.marked
    ctx.fillRect(x(range.fromSecond), area.top, x(range.toSecond) - x(range.fromSecond), area.height)
    for (const second of [range.fromSecond, range.toSecond]) upright(second, palette.ochre, 1.5)
  }
  for (const second of marks) upright(second, palette.ochre, 2)
  if (cursorSecond !== null) upright(cursorSecond, palette.ink, 1)
}

/** The gate's own series where it lies beyond the limit line. */
function hatchBeyond(chart: Chart, limitLine: LimitLine, palette: Palette): void {
  const { ctx, chartArea: area } = chart
  const x = xOf(chart)
  const y = yOf(chart)
  ctx.save()
  ctx.beginPath()
  ctx.rect(area.left, area.top, area.width, area.height)
  ctx.clip()
  ctx.fillStyle = hatching(ctx, palette.brick, 6, 1.4)
  limitLine.values.forEach((value, second) => {
    const bound = limitAt(limitLine, second)
    if (value === null || (limitLine.isUpper ? value <= bound : value >= bound)) return
    const limit = y(bound)
    const top = Math.min(y(value), limit)
    ctx.fillRect(x(second), top, x(second + 1) - x(second), Math.abs(limit - y(value)))
  })
  ctx.restore()
}

function drawLimitLines(chart: Chart, limitLines: LimitLine[], palette: Palette): void {
  const { ctx, chartArea: area } = chart
  const x = xOf(chart)
  const y = yOf(chart)
  const lines = limitLines.map((limitLine) => y(labelledAt(limitLine)))
  const taken: { left: number; right: number; top: number }[] = []
  for (const limitLine of limitLines) {
    const at = y(labelledAt(limitLine))
    if (typeof limitLine.limit === 'number' && (at < area.top || at > area.bottom)) continue
    const color = limitLine.isBreached ? palette.brick : palette.ink
    if (typeof limitLine.limit !== 'number') drawSteps(chart, limitLine, limitLine.limit, color)
    else
      for (const { fromSecond, toSecond } of limitLine.spans) {
        line(ctx, x(fromSecond), at, x(toSecond), at, color, 2)
        for (const end of [fromSecond, toSecond]) line(ctx, x(end), at - 5, x(end), at + 5, color, 3)
      }
    const span = limitLine.spans[0]
    if (span === undefined) continue
    ctx.font = '600 11.5px "Archivo Variable", sans-serif'
    const width = ctx.measureText(limitLine.label).width
    const left = Math.min(x(span.fromSecond) + 8, area.right - width - 8)
    const top =
      [at + 14, at - 6, at + 28, at - 20].find(
        (place) =>
          place > area.top + 10 &&
          place < area.bottom - 2 &&
          !lines.some((other) => other !== at && other > place - 12 && other < place + 5) &&
          !taken.some((other) => Math.abs(other.top - place) < 12 && left < other.right && other.left < left + width),
      ) ?? at + 14
    taken.push({ left, right: left + width, top })
    ctx.fillStyle = palette.veil
    ctx.fillRect(left - 3, top - 10, width + 6, 13)
    ctx.fillStyle = color
    ctx.fillText(limitLine.label, left, top)
  }
}

const limitAt = ({ limit }: LimitLine, second: number): number =>
  typeof limit === 'number' ? limit : (limit[second] ?? Infinity)

/** Where the words of a limit line stand: at its limit, or at the highest that it comes to. */
const labelledAt = ({ limit }: LimitLine): number =>
  typeof limit === 'number' ? limit : limit.reduce((most, one) => Math.max(most, one), 0)

/** A limit that is another one in each second. */
function drawSteps(chart: Chart, limitLine: LimitLine, limits: readonly number[], color: string): void {
  const { ctx, chartArea: area } = chart
  const [x, y] = [xOf(chart), yOf(chart)]
  ctx.save()
  ctx.setLineDash([3, 3])
  for (const { fromSecond, toSecond } of limitLine.spans)
    for (let second = Math.floor(fromSecond); second < Math.min(toSecond, limits.length); second++) {
      const at = Math.max(area.top, y(limits[second] ?? 0))
      line(ctx, x(second), at, x(second + 1), at, color, 1.4)
    }
  ctx.restore()
}

function xOf(chart: Chart): (second: number) => number {
  const scale = chart.scales['x']
  return (second) => scale?.getPixelForValue(second) ?? 0
}
function yOf(chart: Chart): (value: number) => number {
  const scale = chart.scales['y']
  return (value) => scale?.getPixelForValue(value) ?? 0
}

function line(
  ctx: CanvasRenderingContext2D,
  x1: number,
  y1: number,
  x2: number,
  y2: number,
  color: string,
  width: number,
): void {
  ctx.strokeStyle = color
  ctx.lineWidth = width
  ctx.beginPath()
  ctx.moveTo(x1, y1)
  ctx.lineTo(x2, y2)
  ctx.stroke()
}
