<script setup lang="ts">
// One chart of a search for a capacity.
import { Chart, LinearScale, LineElement, LogarithmicScale, PointElement, ScatterController } from 'chart.js'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { paletteOf } from '../run/lane-plugins.js'
import { gateChart, throughputChart, type DrawnSearch } from './capacity-charts.js'

Chart.register(ScatterController, LineElement, PointElement, LinearScale, LogarithmicScale)

const props = defineProps<{ kind: 'gate' | 'throughput'; drawn: DrawnSearch; label: string }>()
const canvas = ref<HTMLCanvasElement>()
let chart: { destroy: () => void } | undefined

/** Made anew: its axes go by what is drawn. */
function draw(): void {
  chart?.destroy()
  if (canvas.value === undefined) return
  const palette = paletteOf(canvas.value)
  chart = new Chart(canvas.value, (props.kind === 'gate' ? gateChart : throughputChart)(props.drawn, palette))
}
onMounted(draw)
watch(() => props.drawn, draw)
onBeforeUnmount(() => {
  chart?.destroy()
})
</script>

<template>
  <div class="chart" :class="kind"><canvas ref="canvas" role="img" :aria-label="label"></canvas></div>
</template>

<style scoped>
.chart {
  position: relative;
  height: 190px;
  min-width: 0;
}
.throughput {
  height: 150px;
}
</style>
