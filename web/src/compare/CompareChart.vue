<script setup lang="ts">
// One lane of several runs, over one another on the time axis of the first.
import { Chart, LinearScale, LineController, LineElement, PointElement } from 'chart.js'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { clock } from '../text/figures.js'
import { paletteOf } from '../run/lane-plugins.js'
import { pointsOf, type CompareLane, type ComparedRun } from './compare-picture.js'

Chart.register(LineController, LineElement, PointElement, LinearScale)

const props = defineProps<{ lane: CompareLane; runs: ComparedRun[]; seconds: number; hasAxis: boolean }>()
const canvas = ref<HTMLCanvasElement>()
let chart: Chart<'line', { x: number; y: number }[]> | undefined

function datasets() {
  const [base] = props.runs
  if (canvas.value === undefined || base === undefined) return []
  const palette = paletteOf(canvas.value)
  const colors = [palette.lake, palette.slate, palette.ochre, palette.brick, palette.ink]
  return props.runs.map(({ result }, index) => ({
    data: pointsOf(props.lane, result, base.result),
    borderColor: colors[index] ?? palette.ink,
    borderWidth: index === 0 ? 2 : 1.5,
    borderDash: index === 0 ? [] : [6, index + 1],
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
            scale.width = 62
          },
        },
      },
    },
  })
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
</style>
