<script setup lang="ts">
// A small picture of a load: of a plan by its phases, or of a run with its p95 over it.
import { curveOf, type Preview } from '@jolt-gate/core'
import { computed } from 'vue'

const props = defineProps<{
  preview?: Preview
  spark?: { due: number[]; p95: (number | null)[] }
}>()

const WIDTH = 190
const HEIGHT = 34

const load = computed(() => {
  const points: [number, number][] = props.spark
    ? props.spark.due.map((value, index) => [index, value])
    : loadOf(props.preview)
  return pathOf(points, points.at(-1)?.[0] ?? 0)
})
const times = computed(() =>
  pathOf(
    (props.spark?.p95 ?? []).flatMap((value, index): [number, number][] => (value === null ? [] : [[index, value]])),
    (props.spark?.due.length ?? 1) - 1,
  ),
)

/** Arrivals over all tracks, or users where there are no arrivals. */
function loadOf(preview: Preview | undefined): [number, number][] {
  if (preview === undefined) return []
  const { rate, users } = curveOf(preview)
  return preview.peakRate > 0 ? rate : users
}

function pathOf(points: [number, number][], end: number): string {
  if (points.length === 0) return ''
  const highest = Math.max(...points.map(([, value]) => value), 1e-9)
  const at = ([x, y]: [number, number]) =>
    `${((x / Math.max(end, 1e-9)) * WIDTH).toFixed(1)} ${(HEIGHT - 2 - (y / highest) * (HEIGHT - 5)).toFixed(1)}`
  return `M${points.map(at).join('L')}`
}
</script>

<template>
  <svg class="spark" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" aria-hidden="true">
    <path v-if="load" class="area" :d="`${load}L${WIDTH} ${HEIGHT}L0 ${HEIGHT}Z`" />
    <path class="load" :d="load" />
    <path class="times" :d="times" />
  </svg>
</template>

<style scoped>
.spark {
  display: block;
  width: 190px;
  height: 34px;
}
.area {
  fill: var(--lake-light);
}
.load {
  fill: none;
  stroke: var(--lake);
  stroke-width: 1.4;
}
.times {
  fill: none;
  stroke: var(--slate);
  stroke-width: 1.4;
}
</style>
