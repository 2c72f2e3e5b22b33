<script setup lang="ts">
// The load that a plan would make, drawn: arrivals per second and users over time, with handles on its phases.
import type { Phase, Preview } from '@jolt-gate/core'
import { toRef } from 'vue'
import { clock, grouped, rate } from '../text/figures.js'
import LoadHandles from './LoadHandles.vue'
import { BAND, FOOT, HEIGHT, LEFT, useLoadPicture } from './use-load-picture.js'

const props = defineProps<{
  preview: Preview
  phases: Phase[]
  width: number
  /** The phase that is selected. */
  chosen: string | undefined
  /** What the phase would be whose handle is held, in words. */
  heldFigure: string
  mayWrite: boolean
}>()
defineEmits<{
  length: [phase: Phase, seconds: number]
  rate: [phase: Phase, from: number, to: number]
  held: [phase: Phase | undefined]
  pick: [line: number]
}>()
const picture = useLoadPicture(
  toRef(() => props.preview),
  toRef(() => props.width),
)
const { x, y, level, secondsPerPixel, ratePerPixel, band, labels, ticks, rates, hasRates } = picture
const { outline, area, users, inFlight, inFlightAt, trackLines } = picture
const lineOf = (name: string) => props.phases.find((phase) => phase.name === name)?.at.line ?? 1
</script>

<template>
  <svg
    :width="width"
    :height="HEIGHT"
    role="group"
    aria-label="Arrivals per second and concurrent users over the length of the plan"
  >
    <defs>
      <pattern id="unmeasured" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <path d="M0 0V7" stroke="var(--rule)" stroke-width="2" />
      </pattern>
    </defs>
    <g v-for="(phase, index) in band" :key="phase.name">
      <rect
        class="band"
        :class="{ odd: index % 2 === 1, chosen: phase.name === chosen }"
        :x="x(phase.fromSeconds)"
        y="0"
        :width="x(phase.toSeconds) - x(phase.fromSeconds)"
        :height="BAND"
        @click="$emit('pick', lineOf(phase.name))"
      />
      <rect
        v-if="!phase.measured"
        :x="x(phase.fromSeconds)"
        :y="BAND"
        :width="x(phase.toSeconds) - x(phase.fromSeconds)"
        :height="HEIGHT - BAND - FOOT"
        fill="url(#unmeasured)"
      />
      <text class="phase" :x="x(phase.fromSeconds) + 9" y="17">
        <tspan class="phase-name">{{ labels[index]?.name }}</tspan>
        <tspan v-if="labels[index]?.what" dx="5">{{ labels[index]?.what }}</tspan>
      </text>
      <path class="border" :d="`M${x(phase.fromSeconds)} 0V${HEIGHT - FOOT}`" />
    </g>
    <g v-for="value in rates" :key="value">
      <path class="guide" :d="`M${x(0)} ${y(value)}H${x(preview.seconds)}`" />
      <text class="tick" :x="LEFT - 6" :y="y(value) + 4" text-anchor="end">{{ rate(value) }}/s</text>
    </g>
    <path v-if="area" class="area" :d="area" />
    <template v-for="track in trackLines" :key="track.name">
      <path class="track" :d="`M${track.path}`" />
      <text class="tick" :x="width - 8" :y="track.labelY" text-anchor="end">{{ track.name }}</text>
    </template>
    <path v-if="outline" class="line" :d="`M${outline}`" />
    <path v-if="users" class="users" :d="`M${users}`" />
    <text
      v-if="users"
      class="tick"
      :x="hasRates ? width - 8 : LEFT - 6"
      :y="level(preview.mostUsers, preview.mostUsers) + (hasRates ? -4 : 4)"
      text-anchor="end"
    >
      {{ grouped(preview.mostUsers) }}{{ hasRates ? ' users' : '' }}
    </text>
    <path v-if="inFlight" class="in-flight" :d="`M${inFlight}`" />
    <text v-if="inFlight" class="tick" :x="inFlightAt[0]" :y="inFlightAt[1]" text-anchor="middle">
      about {{ grouped(Math.ceil(preview.usersInFlight ?? 0)) }} users in flight
    </text>
    <text v-if="heldFigure" class="held" :x="width / 2" :y="BAND + 16" text-anchor="middle">{{ heldFigure }}</text>
    <path class="axis" :d="`M${x(0)} ${y(0)}H${x(preview.seconds)}`" />
    <text
      v-for="second in ticks"
      :key="second"
      class="tick"
      :x="x(second)"
      :y="HEIGHT - 6"
      :text-anchor="second === 0 ? 'start' : x(second) > width - 24 ? 'end' : 'middle'"
    >
      {{ clock(second) }}
    </text>
    <LoadHandles
      v-if="mayWrite"
      :phases="phases.filter(({ track }) => track === (preview.tracks[0]?.name ?? null))"
      :places="band"
      :x="x"
      :y="y"
      :seconds-per-pixel="secondsPerPixel"
      :rate-per-pixel="ratePerPixel"
      @length="(phase, seconds) => $emit('length', phase, seconds)"
      @rate="(phase, from, to) => $emit('rate', phase, from, to)"
      @held="(phase) => $emit('held', phase)"
    />
  </svg>
</template>

<style scoped>
.band {
  fill: var(--band);
}
.odd {
  fill: var(--band-odd);
}
.phase {
  fill: var(--soft);
  font-size: 12px;
}
.phase-name {
  fill: var(--ink);
  font-weight: 600;
}
.border,
.guide {
  stroke: var(--rule);
}
.guide {
  stroke-dasharray: 2 4;
}
.area {
  fill: var(--lake-light);
  fill-opacity: 0.85;
}
.line {
  fill: none;
  stroke: var(--lake);
  stroke-width: 2;
}
.track {
  fill: none;
  stroke: var(--slate);
  stroke-width: 1.3;
  stroke-dasharray: 2 3;
}
.users {
  fill: none;
  stroke: var(--ochre);
  stroke-width: 2;
  stroke-dasharray: 6 3;
}
.in-flight {
  fill: none;
  stroke: var(--slate);
  stroke-width: 1.4;
  stroke-dasharray: 5 3;
}
.chosen {
  fill: var(--ochre-light);
}
.held {
  fill: var(--ink);
  font-size: 13px;
  font-weight: 650;
}
.axis {
  stroke: var(--soft);
}
.tick {
  fill: var(--soft);
  font-size: 11.5px;
}
</style>
