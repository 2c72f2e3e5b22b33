<script setup lang="ts">
// The load that the plan would make, before it is made: totals, and arrivals per second over time.
import { ElButton } from 'element-plus'
import { curveOf, durationOf, previewOf, type CurvePoints, type Phase, type Plan, type Preview } from '@jolt-gate/core'
import { useElementSize } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { clock, grouped, lengthOf, rate } from '../text/figures.js'
import LoadHandles from './LoadHandles.vue'

const props = defineProps<{
  preview: Preview | null
  plan: Plan | undefined
  /** Mean time of each journey in the last run. */
  journeyMs: Readonly<Record<string, number>>
  /** The line that is selected, and the section of the plan in which it is. */
  line: number
  section: string
  mayWrite: boolean
}>()
defineEmits<{
  length: [phase: Phase, seconds: number]
  rate: [phase: Phase, from: number, to: number]
  pick: [line: number]
  add: []
}>()

const HEIGHT = 176
const BAND = 26
const FOOT = 22
const box = ref<HTMLElement>()
const { width } = useElementSize(box)

/** A phase whose handle is held: the load follows it, before the plan does. */
const held = shallowRef<Phase>()
const phases = computed(() => {
  const all = props.plan?.load.phases ?? []
  return all.map((phase) =>
    held.value !== undefined && phase.at.line === held.value.at.line && phase.name === held.value.name
      ? held.value
      : phase,
  )
})
const preview = computed<Preview | null>(() => {
  if (props.plan === undefined || held.value === undefined) return props.preview
  const plan = { ...props.plan, load: { ...props.plan.load, phases: phases.value } }
  return previewOf(plan, new Map(Object.entries(props.journeyMs)))
})
const heldFigure = computed(() => {
  const phase = held.value
  if (phase === undefined) return ''
  const rates =
    phase.kind === 'constant'
      ? `${rate(phase.rate)}/s`
      : phase.kind === 'ramp'
        ? `${rate(phase.from)} to ${rate(phase.to)}/s`
        : ''
  return `${phase.name}: ${rates === '' ? '' : `${rates} for `}${durationOf(phase.seconds)}`
})
/** The phase that is selected. */
const chosen = computed(() =>
  props.section === 'load' ? phases.value.filter(({ at }) => at.line <= props.line).at(-1)?.name : undefined,
)

const totals = computed(() =>
  preview.value === null
    ? []
    : [
        { figure: lengthOf(preview.value.seconds), label: 'length' },
        ...(preview.value.arrivals > 0 || preview.value.mostUsers === 0 ? arrivalTotals(preview.value) : []),
        ...(preview.value.mostUsers > 0
          ? [{ figure: grouped(preview.value.mostUsers), label: 'concurrent users' }]
          : []),
        ...(preview.value.usersInFlight === null
          ? []
          : [{ figure: `about ${rate(preview.value.usersInFlight)}`, label: 'users in flight at the peak' }]),
      ].slice(0, 4),
)

function arrivalTotals(preview: Preview) {
  return [
    { figure: grouped(preview.arrivals), label: 'arrivals due' },
    { figure: `about ${grouped(preview.requests)}`, label: 'requests' },
    { figure: `${rate(preview.peakRequestRate)}/s`, label: 'requests per second at the peak' },
  ]
}

const LEFT = 40
const x = (seconds: number) =>
  LEFT + (seconds / Math.max(preview.value?.seconds ?? 1, 1e-9)) * Math.max(0, width.value - LEFT - 6)
const level = (value: number, most: number) =>
  HEIGHT - FOOT - (value / Math.max(most * 1.12, 1e-9)) * (HEIGHT - FOOT - BAND)
const y = (value: number) => level(value, preview.value?.peakRate ?? 1)
const secondsPerPixel = computed(() => (preview.value?.seconds ?? 0) / Math.max(1, width.value - LEFT - 6))
const ratePerPixel = computed(() => ((preview.value?.peakRate ?? 1) * 1.12) / (HEIGHT - FOOT - BAND))
const lineOf = (name: string) => phases.value.find((phase) => phase.name === name)?.at.line ?? 1
const profile = computed(() => (preview.value === null ? null : curveOf(preview.value)))
const pathOf = (line: CurvePoints, at: (value: number) => number) =>
  line.map(([seconds, value]) => `${x(seconds).toFixed(1)} ${at(value).toFixed(1)}`).join('L')
const hasRates = computed(() => (preview.value?.peakRate ?? 0) > 0)
const outline = computed(() => (profile.value === null || !hasRates.value ? '' : pathOf(profile.value.rate, y)))
/** Users stand on a scale of their own, at the right where there are arrivals too. */
const users = computed(() => {
  const most = preview.value?.mostUsers ?? 0
  return profile.value === null || most === 0 ? '' : pathOf(profile.value.users, (value) => level(value, most))
})
/** Expected users in flight, by Little's law, on a scale of their own: its top is named. */
const IN_FLIGHT_ROOM = 1.45
const inFlightTop = computed(() => Math.max(...(profile.value?.inFlight ?? []).map(([, value]) => value), 0))
const inFlight = computed(() => {
  const line = profile.value?.inFlight ?? []
  return inFlightTop.value === 0 ? '' : pathOf(line, (value) => level(value, inFlightTop.value * IN_FLIGHT_ROOM))
})
const inFlightAt = computed((): [number, number] => {
  const line = profile.value?.inFlight ?? []
  const top = line.filter(([, value]) => value >= inFlightTop.value * 0.98)
  const [seconds = 0] = top[Math.floor(top.length / 2)] ?? []
  const edge = 90
  return [
    Math.min(Math.max(x(seconds), LEFT + edge), Math.max(width.value - edge, LEFT + edge)),
    level(inFlightTop.value, inFlightTop.value * IN_FLIGHT_ROOM) - 5,
  ]
})
/** The phases of the common track stand in the band, or of the first where there is none. */
const band = computed(() => {
  const first = preview.value?.tracks[0]?.name ?? null
  return (preview.value?.phases ?? []).filter((phase) => phase.track === first)
})
/** One label for a ladder would be cut by its levels: each level is named where it has room. */
const trackLines = computed(() =>
  (profile.value?.tracks ?? []).map(({ name, rate: line }) => ({
    name: name ?? 'common track',
    path: pathOf(line, y),
    labelY: y(Math.max(...line.map(([, value]) => value))) - 4,
  })),
)
const area = computed(() =>
  preview.value === null || outline.value === ''
    ? ''
    : `M${String(x(0))} ${String(y(0))}L${outline.value}L${String(x(preview.value.seconds))} ${String(y(0))}Z`,
)
const ticks = computed(() => {
  const length = preview.value?.seconds ?? 0
  const step = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600].find((size) => length / size <= 10) ?? 7200
  return Array.from({ length: Math.floor(length / step) + 1 }, (_, index) => index * step)
})
const rates = computed(() => {
  const peak = preview.value?.peakRate ?? 0
  return peak === 0 ? [] : [peak / 2, peak]
})
const usersLabel = ([from, to]: [number, number]) =>
  from === to ? `${grouped(to)} users` : `${grouped(from)} to ${grouped(to)} users`
const labels = computed(() =>
  band.value.map((phase) => {
    const room = x(phase.toSeconds) - x(phase.fromSeconds) - 16
    const [from, to] = phase.rates
    const name = phase.name
    const what =
      phase.kind === 'rest'
        ? 'rest'
        : phase.kind === 'batch'
          ? `${String(phase.arrivals)} starts`
          : from === to
            ? phase.users[1] > 0
              ? usersLabel(phase.users)
              : `${rate(from)}/s`
            : `${rate(from)} to ${rate(to)}/s`
    const full = `${name} ${what}`
    return { name: room > name.length * 6.6 ? name : '', what: room > full.length * 6.6 ? what : '' }
  }),
)
</script>

<template>
  <div class="strip">
    <div class="totals">
      <h2>Load <span class="soft">expected</span></h2>
      <div v-for="total in totals" :key="total.label" class="total">
        <b>{{ total.figure }}</b><span>{{ total.label }}</span>
      </div>
      <ElButton v-if="mayWrite" link class="soft" @click="$emit('add')">add a phase</ElButton>
    </div>
    <div ref="box" class="picture">
      <svg
        v-if="preview && width > 0"
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
          :phases="phases.filter(({ track }) => track === (preview?.tracks[0]?.name ?? null))"
          :places="band"
          :x="x"
          :y="y"
          :seconds-per-pixel="secondsPerPixel"
          :rate-per-pixel="ratePerPixel"
          @length="(phase, seconds) => $emit('length', phase, seconds)"
          @rate="(phase, from, to) => $emit('rate', phase, from, to)"
          @held="held = $event"
        />
      </svg>
      <p v-else class="soft none">The load is shown once the plan’s load is valid.</p>
    </div>
    <div class="end"><slot /></div>
  </div>
</template>

<style scoped>
.strip {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr) 284px;
  gap: 16px;
  padding: 12px 16px;
  border-top: 2px solid var(--ink);
}
.total {
  padding-top: 8px;
  line-height: 1.2;
}
.total b {
  display: block;
  font-size: 16px;
}
.total span {
  color: var(--soft);
  font-size: 12px;
}
h2 .soft {
  font-weight: 400;
}
.picture {
  min-width: 0;
  height: 176px;
}
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
.none {
  padding: 60px 0;
}
</style>
