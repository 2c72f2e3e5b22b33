<script setup lang="ts">
// One figure over runs: a dot for each run, its interval, the limit, the levels, and where they change.
import { STRIP_HEIGHT, type TrendPicture } from './trend-picture.js'

defineProps<{
  picture: TrendPicture
  width: number
  /** Places of the runs that are selected, and how wide a run is. */
  chosen: readonly number[]
  xOf: (run: number) => number
  runWidth: number
}>()
defineEmits<{ pick: [run: number] }>()
</script>

<template>
  <svg
    class="strip"
    :width="width"
    :height="STRIP_HEIGHT"
    role="img"
    :aria-label="`${picture.title}: ${picture.dots.map(({ words }) => words).join('; ')}`"
  >
    <rect class="sheet" :width="width" :height="STRIP_HEIGHT" />
    <rect
      v-for="run in chosen"
      :key="run"
      class="chosen"
      :x="xOf(run) - runWidth / 2"
      y="0"
      :width="runWidth"
      :height="STRIP_HEIGHT"
    />
    <path v-for="change in picture.changes" :key="change.first" class="change" :d="`M${change.x} 0V${STRIP_HEIGHT}`" />
    <template v-if="picture.limit">
      <path class="limit" :d="`M0 ${picture.limit.y}H${width}`" />
      <text class="limit-words" :x="width - 5" :y="picture.limit.y - 4" text-anchor="end">
        {{ picture.limit.words }}
      </text>
    </template>
    <path
      v-for="level in picture.levels"
      :key="level.fromX"
      class="level"
      :d="`M${Math.max(0, level.fromX)} ${level.y}H${Math.min(width, level.toX)}`"
    />
    <g v-for="dot in picture.dots" :key="dot.run">
      <path
        v-if="dot.low !== undefined || dot.high !== undefined"
        class="interval"
        :class="dot.look.replace(' ', '-')"
        :d="`M${dot.x} ${dot.low ?? dot.y}V${dot.high ?? dot.y}`"
      />
      <circle class="dot" :class="dot.look.replace(' ', '-')" :cx="dot.x" :cy="dot.y" r="3.6">
        <title>{{ dot.words }}</title>
      </circle>
      <rect
        class="hit"
        :x="dot.x - runWidth / 2"
        y="0"
        :width="runWidth"
        :height="STRIP_HEIGHT"
        @click="$emit('pick', dot.run)"
      >
        <title>{{ dot.words }}</title>
      </rect>
    </g>
  </svg>
</template>

<style scoped>
.strip {
  display: block;
}
.sheet {
  fill: var(--sheet);
  stroke: var(--rule);
}
.chosen {
  fill: var(--ochre-light);
}
.change {
  stroke: var(--ochre);
  stroke-dasharray: 4 3;
}
.limit {
  stroke: var(--ink);
  stroke-width: 1.4;
}
.limit-words {
  fill: var(--ink);
  font-size: 11.5px;
}
.level {
  stroke: var(--ochre);
  stroke-width: 1.8;
}
.interval {
  stroke: var(--lake);
  stroke-opacity: 0.5;
  stroke-width: 2;
}
.interval.breached {
  stroke: var(--brick);
}
.dot {
  fill: var(--lake);
}
.dot.breached {
  fill: var(--brick);
}
.dot.not-counted {
  fill: var(--sheet);
  stroke: var(--soft);
  stroke-width: 1.3;
}
.interval.not-counted {
  stroke: var(--soft);
}
.hit {
  fill: transparent;
  cursor: pointer;
}
</style>
