<script setup lang="ts">
// One lane of several runs, over one another on the time axis of the first.
import { Chart, LinearScale, LineController, LineElement, PointElement } from 'chart.js'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { clock } from '../text/figures.js'
import { paletteOf } from '../run/lane-plugins.js'
import { BESIDE_PLOT, pointsOf, type CompareLane, type ComparedRun } from './compare-picture.js'

Chart.register(LineController, LineElement, PointElement, LinearScale)

const props = defineProps<{
  lane: CompareLane
  runs: ComparedRun[]
  seconds: number
  hasAxis: boolean
  /** The second of the first run under the cursor, and what each run has there. */
  cursor: number | null
  reading: string[]
}>()
const canvas = ref<HTMLCanvasElement>()
let chart: Chart<'line', { x: number; y: number }[]> | undefined

function datasets() {
  const [base] = props.runs
  if (canvas.value === undefined || base === undefined) return []
  const palette = paletteOf(canvas.value)
  const colors = [palette.lake, palette.slate, palette.ochre, palette.brick, palette.ink]
  return props.runs.map(({ result, line }) => ({
    data: pointsOf(props.lane, result, base.result),
    borderColor: colors[line] ?? palette.ink,
    borderWidth: line === 0 ? 2 : 1.5,
    borderDash: line === 0 ? [] : [6, line + 1],
    pointRadius: 0,
  }))
}
onMounted(() => {
  if (canvas.value === undefined) return
  const { soft, rule } = paletteOf(canvas.value)
  const font = { family: 'Archivo Variable', size: 11.5 }
  chart = new Chart(canvas.value, {
    type: 'line',
    data: { datasets: datasets() },
    options: {
      animation: false,
      maintainAspectRatio: false,
      events: [],
      layout: { padding: { right: BESIDE_PLOT.right } },
      parsing: false,
      scales: {
        x: {
          type: 'linear',
          min: 0,
          max: props.seconds,
          display: props.hasAxis,
          grid: { display: false },
          ticks: { color: soft, font, maxTicksLimit: 10, callback: (value) => clock(Number(value)) },
        },
        y: {
          min: 0,
          grid: { color: rule },
          border: { display: false },
          ticks: { color: soft, font, maxTicksLimit: 4, callback: (value) => props.lane.tick(Number(value)) },
          afterFit: (scale) => {
            scale.width = BESIDE_PLOT.left
          },
        },
      },
    },
  })
})
/** Where the cursor stands in the plot. */
const left = computed(() => {
  if (props.cursor === null) return undefined
  const { left: before, right: after } = BESIDE_PLOT
  return `calc(${String(before)}px + ${String((props.cursor + 0.5) / props.seconds)} * (100% - ${String(before + after)}px))`
})
onBeforeUnmount(() => chart?.destroy())
watch(
  () => props.runs,
  () => {
    if (chart === undefined) return
    chart.data.datasets = datasets()
    chart.update('none')
  },
)
</script>

<template>
  <div class="chart" :class="{ last: hasAxis }">
    <canvas ref="canvas" role="img" :aria-label="`${lane.title}: ${lane.note} of ${runs.length} runs`"></canvas>
    <i v-if="left !== undefined" class="cursor" :style="{ left }"></i>
    <span v-if="reading.length > 0" class="reading">{{ reading.join(' · ') }}</span>
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  height: 74px;
  min-width: 0;
}
.last {
  height: 96px;
}
.cursor {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: var(--ink);
  pointer-events: none;
}
.last .cursor {
  bottom: 22px;
}
.reading {
  position: absolute;
  top: 2px;
  right: 4px;
  padding: 0 4px;
  background: var(--veil);
  font-size: 11.5px;
  font-variant-numeric: tabular-nums;
  pointer-events: none;
}
</style>
