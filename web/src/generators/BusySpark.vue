<script setup lang="ts">
// How busy the busiest sender of a generator was by second, of the last minute, and the share it is to stay under.
import { computed } from 'vue'
import { MOST_BUSY } from './generator-words.js'

const props = defineProps<{ busy: (number | null)[]; isBad: boolean }>()

const [WIDTH, HEIGHT, SECONDS] = [190, 30, 60]
const yOf = (share: number) => (HEIGHT - 2 - Math.min(1, share) * (HEIGHT - 4)).toFixed(1)

/** Of each stretch that was heard; the last second stands at the right. */
const stretches = computed(() => {
  const first = SECONDS - props.busy.length
  const found: [number, number][][] = [[]]
  for (const [index, share] of props.busy.entries())
    if (share === null) found.push([])
    else found.at(-1)?.push([((first + index) / (SECONDS - 1)) * WIDTH, share])
  return found
    .filter((points) => points.length > 0)
    .map((points) => {
      const [from, to] = [points[0]?.[0] ?? 0, points.at(-1)?.[0] ?? 0]
      const line = `M${points.map(([x, share]) => `${x.toFixed(1)} ${yOf(share)}`).join('L')}`
      return { line, area: `${line}L${to.toFixed(1)} ${HEIGHT - 2}L${from.toFixed(1)} ${HEIGHT - 2}Z` }
    })
})
</script>

<template>
  <svg class="busy" :class="{ bad: isBad }" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" aria-hidden="true">
    <path class="most" :d="`M0 ${yOf(MOST_BUSY)}L${WIDTH} ${yOf(MOST_BUSY)}`" />
    <template v-for="{ line, area } in stretches" :key="line">
      <path class="area" :d="area" />
      <path class="line" :d="line" />
    </template>
  </svg>
</template>

<style scoped>
.busy {
  display: block;
  width: 190px;
  height: 30px;
}
.most {
  stroke: var(--brick);
  stroke-dasharray: 3 3;
}
.area {
  fill: var(--lake-light);
}
.line {
  fill: none;
  stroke: var(--lake);
  stroke-width: 1.4;
}
.bad .area {
  fill: var(--brick-light);
}
.bad .line {
  stroke: var(--brick);
}
</style>
