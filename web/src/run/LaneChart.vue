<script setup lang="ts">
// One lane: a chart on the shared time axis.
import {
  BarController,
  BarElement,
  Chart,
  Filler,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
} from 'chart.js'
import { scaleLinear } from 'd3-scale'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { drawBehind, overlayPlugin, paletteOf, type LaneOverlay } from './lane-plugins.js'
import type { LaneDrawing, Point } from './lane-charts.js'
import type { RunPicture } from './run.worker.js'

Chart.register(LineController, BarController, LineElement, BarElement, PointElement, LinearScale, Filler)

const props = defineProps<{
  lane: LaneDrawing
  view: RunPicture
  due: number[]
  seconds: number
  overlay: LaneOverlay
  axisWidth: number
  redraws: number
}>()
const canvas = ref<HTMLCanvasElement>()
const behind = ref<HTMLCanvasElement>()
let chart: Chart<'line' | 'bar', Point[]> | undefined

onMounted(() => {
  if (canvas.value === undefined) return
  const palette = paletteOf(canvas.value)
  const base: 'line' | 'bar' = props.lane.kind
  chart = new Chart<'line' | 'bar', Point[]>(canvas.value, {
    type: base,
    data: { datasets: props.lane.datasets(props.view, props.due, palette) },
    plugins: [overlayPlugin(props.overlay, palette, props.lane.limitLines)],
    options: {
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      onResize: () => {
        requestAnimationFrame(moveBehind)
      },
      events: [],
      parsing: false,
      layout: { padding: 0 },
      scales: {
        x: { type: 'linear', min: 0, max: props.seconds, display: false, offset: false, grid: { display: false } },
        y: {
          min: 0,
          grid: { display: false },
          border: { display: false },
          ticks: {
            color: palette.soft,
            font: { family: 'Archivo Variable', size: 11.5 },
            includeBounds: false,
            callback: (value) => props.lane.tick(Number(value)),
          },
          afterFit: (scale) => {
            scale.width = props.axisWidth
          },
        },
        // A second scale must not make this lane narrower than the others: the caption has its figures.
        right: { min: 0, position: 'right', display: false },
      },
    },
  })
  draw()
})
onBeforeUnmount(() => chart?.destroy())

watch(
  () => [props.view, props.due, props.seconds, props.lane],
  () => {
    chart?.resize()
    draw()
  },
  { flush: 'post' },
)
watch(() => props.redraws, moveBehind)
/** What moves is drawn alone: the chart of an hour takes a while. */
function moveBehind(): void {
  if (chart !== undefined && canvas.value !== undefined && behind.value !== undefined)
    drawBehind(behind.value, chart, props.overlay, paletteOf(canvas.value))
}

function draw(): void {
  if (chart === undefined || canvas.value === undefined) return
  const { scales } = chart.options
  chart.data.datasets = props.lane.datasets(props.view, props.due, paletteOf(canvas.value))
  const limits = props.overlay.limitLines.flatMap(({ lane, limit }) =>
    lane === props.lane.limitLines && typeof limit === 'number' ? [limit] : [],
  )
  const highest = props.lane.highest(props.view, props.due)
  // A limit far above the curve would press it flat: such a limit line stays outside the lane.
  const reach = limits.filter((limit) => limit < highest * 4).reduce((most, limit) => Math.max(most, limit), highest)
  if (scales?.['x'] !== undefined) scales['x'].max = props.seconds
  const top = Math.max(reach * 1.1, 1e-3)
  // Nothing measured yet has no scale.
  const ticks =
    reach === 0
      ? []
      : scaleLinear()
          .domain([0, top])
          .ticks(props.lane.height > 100 ? 4 : 2)
  if (scales?.['y'] !== undefined)
    Object.assign(scales['y'], {
      max: top,
      // The library would divide the lane evenly, whatever figures that gives.
      afterBuildTicks: (axis: { ticks: { value: number }[] }) => {
        axis.ticks = ticks.map((value) => ({ value }))
      },
    })
  if (scales?.['right'] !== undefined) scales['right'].max = 1.1 * (props.lane.highestRight?.(props.view) ?? 1)
  chart.update('none')
  moveBehind()
}
</script>

<template>
  <div class="chart" :style="{ height: `${String(lane.height)}px` }">
    <canvas ref="canvas" class="drawn" role="img" :aria-label="`${lane.title}: ${lane.note}`"></canvas>
    <canvas ref="behind" class="behind" aria-hidden="true"></canvas>
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  min-width: 0;
}
.drawn {
  position: relative;
  z-index: 1;
}
.behind {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
</style>
