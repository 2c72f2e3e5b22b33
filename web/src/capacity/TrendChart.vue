<script setup lang="ts">
// How the capacity that a plan found has changed from search to search.
import type { CapacityLine } from '@jolt-gate/core/api'
import { Chart, LinearScale, PointElement, ScatterController } from 'chart.js'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { paletteOf } from '../run/lane-plugins.js'
import { trendChart, type Found } from './capacity-trend.js'

Chart.register(ScatterController, PointElement, LinearScale)

const props = defineProps<{ found: readonly Found[]; shown: string; unit: CapacityLine['goal']['unit'] }>()
const canvas = ref<HTMLCanvasElement>()
let chart: { destroy: () => void } | undefined

function draw(): void {
  chart?.destroy()
  if (canvas.value === undefined) return
  chart = new Chart(
    canvas.value,
    trendChart(props.found, { shown: props.shown, unit: props.unit }, paletteOf(canvas.value)),
  )
}
onMounted(draw)
watch(() => props.found, draw)
onBeforeUnmount(() => {
  chart?.destroy()
})
</script>

<template>
  <div class="chart">
    <canvas ref="canvas" role="img" aria-label="What each search found, the oldest at the left"></canvas>
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  height: 110px;
  min-width: 0;
}
</style>
