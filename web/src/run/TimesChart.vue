<script setup lang="ts">
// One chart of a distribution.
import { Chart, Filler, LinearScale, LineController, LineElement, LogarithmicScale, PointElement } from 'chart.js'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { paletteOf } from './lane-plugins.js'
import { barDatasets, barOptions, curveDatasets, curveOptions, type DrawnTimes } from './times-charts.js'

Chart.register(LineController, LineElement, PointElement, LinearScale, LogarithmicScale, Filler)

const props = defineProps<{ kind: 'percentiles' | 'histogram'; drawn: DrawnTimes[]; label: string }>()
const canvas = ref<HTMLCanvasElement>()
let chart: Chart<'line', { x: number; y: number }[]> | undefined

/** Made anew: its axes go by what is drawn. */
function draw(): void {
  chart?.destroy()
  if (canvas.value === undefined || props.drawn.length === 0) return
  const palette = paletteOf(canvas.value)
  const isCurve = props.kind === 'percentiles'
  const options = (isCurve ? curveOptions : barOptions)(props.drawn, palette)
  chart = new Chart(canvas.value, {
    type: 'line',
    data: { datasets: (isCurve ? curveDatasets : barDatasets)(props.drawn, palette) },
    ...(options === undefined ? {} : { options }),
  })
}
onMounted(draw)
watch(() => props.drawn, draw)
onBeforeUnmount(() => chart?.destroy())
</script>

<template>
  <div class="chart"><canvas ref="canvas" role="img" :aria-label="label"></canvas></div>
</template>

<style scoped>
.chart {
  position: relative;
  height: 220px;
  min-width: 0;
}
</style>
