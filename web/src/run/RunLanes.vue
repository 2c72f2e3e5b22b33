<script setup lang="ts">
// The lanes under a ruler of phases, on one time axis, with one cursor and one marked range through all of them.
import { dueBySecond, phaseRanges, timeTicks, type LaneSpec, type RunShape, type TimeRange } from '@jolt-gate/core'
import type { Mark } from '@jolt-gate/core/api'
import { useElementSize } from '@vueuse/core'
import { computed, reactive, ref, watch } from 'vue'
import { clock } from '../text/figures.js'
import { isDark } from '../styles/theme.js'
import { laneImage, savePng } from './lane-image.js'
import LaneChart from './LaneChart.vue'
import LaneMenu from './LaneMenu.vue'
import type { LaneChange } from './use-lanes.js'
import { useRangeSelection } from './use-range-selection.js'
import { lanesOf, type LaneDrawing } from './lane-charts.js'
import type { LaneOverlay, LanePhase } from './lane-plugins.js'
import type { RunPicture } from './run.worker.js'

const props = defineProps<{
  view: RunPicture
  shape: RunShape
  name: string
  specs: readonly LaneSpec[]
  marks: readonly Mark[]
}>()
const emit = defineEmits<{ change: [what: Exclude<LaneChange, 'png'>, index: number]; mark: [second: number] }>()
const range = defineModel<TimeRange | null>('range', { required: true })

const TITLE = 156
const AXIS = 52
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const redraws = ref(0)

const planned = computed(() => Math.max(0, ...phaseRanges(props.shape).map(({ toMs }) => toMs / 1000)))
/** While the run is live its whole plan is shown, so that nothing jumps as it fills. */
const seconds = computed(() => Math.max(planned.value, props.view.seconds))
const due = computed(() => dueBySecond(props.shape, Math.ceil(planned.value)))
const phases = computed((): LanePhase[] =>
  // The ruler shows one track: the common one, or the first where there is none.
  phaseRanges(props.shape).flatMap(({ fromMs, toMs }, index) => {
    const phase = props.shape.phases[index]
    if (phase === undefined || phase.track !== props.shape.phases[0]?.track) return []
    return [{ name: phase.name, measured: phase.measured, fromSecond: fromMs / 1000, toSecond: toMs / 1000 }]
  }),
)
const plot = computed(() => ({ left: TITLE + AXIS, width: Math.max(1, width.value - TITLE - AXIS) }))
const x = (second: number) => plot.value.left + (second / seconds.value) * plot.value.width
function secondAt(clientX: number): number | null {
  const left = (box.value?.getBoundingClientRect().left ?? 0) + plot.value.left
  const second = Math.floor(((clientX - left) / plot.value.width) * seconds.value)
  return second >= 0 && second < Math.max(1, props.view.seconds) ? second : null
}
const { cursor, onMove, onDown, onUp, onLeave, onKey } = useRangeSelection({
  range,
  secondAt,
  last: () => props.view.seconds - 1,
  mark: (second) => {
    emit('mark', second)
  },
})
const overlay: LaneOverlay = reactive({ phases: [], limitLines: [], marks: [], cursorSecond: null, range: null })
watch(
  [phases, () => props.view.limitLines, () => props.marks, cursor, range],
  () => {
    Object.assign(overlay, {
      phases: phases.value,
      limitLines: props.view.limitLines,
      marks: props.marks.map(({ atMs }) => atMs / 1000),
      cursorSecond: cursor.value === null ? null : cursor.value + 0.5,
      range: range.value,
    })
    redraws.value++
  },
  { immediate: true },
)

const ticks = computed(() => timeTicks(seconds.value, 12))
const lanes = computed(() => lanesOf(props.specs))
/** More do not fit beside a lane. */
const MOST_READOUTS = 6
const readouts = computed(() =>
  lanes.value.map((lane) => lane.readouts(props.view, due.value, cursor.value).slice(0, MOST_READOUTS)),
)
const captionOf = (lane: LaneDrawing, index: number) =>
  [
    cursor.value === null ? lane.over : clock(cursor.value),
    ...(readouts.value[index] ?? []).map(({ label, value }) => `${label} ${value}`),
  ].join(' · ')

function act(what: LaneChange, index: number): void {
  if (what === 'png') save(index)
  else emit('change', what, index)
}
function save(index: number): void {
  const lane = lanes.value[index]
  const [chart, over] = box.value?.querySelectorAll('.lane')[index]?.querySelectorAll('canvas') ?? []
  if (lane === undefined || chart === undefined) return
  const { title, note } = lane
  savePng(
    laneImage(over === undefined ? [chart] : [chart, over], {
      title,
      note,
      caption: captionOf(lane, index),
      run: props.name,
    }),
    `${props.name} ${lane.name}`,
  )
}
</script>

<template>
  <div
    ref="box"
    class="lanes"
    tabindex="0"
    role="group"
    aria-label="Run chart. Arrow keys move the cursor, with Shift they select a range, Escape clears it, M puts a mark."
    @pointermove="onMove"
    @pointerleave="onLeave"
    @pointerdown="onDown"
    @pointerup="onUp"
    @keydown="onKey"
  >
    <div class="ruler">
      <span
        v-for="(phase, index) in phases"
        :key="phase.name"
        class="phase"
        :class="{ odd: index % 2 === 1 }"
        :style="{
          left: `${String(x(phase.fromSecond))}px`,
          width: `${String(x(phase.toSecond) - x(phase.fromSecond))}px`,
        }"
        :title="phase.name"
        >{{ phase.name }}</span
      >
      <span
        v-for="mark in marks"
        :key="mark.id"
        class="mark"
        :style="{ left: `${String(x(mark.atMs / 1000))}px` }"
        :title="`${mark.text} (${mark.by}, ${clock(mark.atMs / 1000)})`"
        >{{ mark.text }}</span
      >
    </div>
    <div v-for="(lane, index) in lanes" :key="lane.name" class="lane">
      <div class="title">
        <div class="head">
          <b :title="`${lane.title}: ${lane.note}`">{{ lane.title }}</b><span class="soft over">{{
            cursor === null ? lane.over : clock(cursor)
          }}</span>
        </div>
        <div v-for="one in readouts[index]" :key="one.label" class="readout" :title="`${one.label} ${one.value}`">
          <svg width="14" height="10" aria-hidden="true">
            <path :class="one.look" d="M0 5H14" :style="{ stroke: `var(--${one.color})` }" />
          </svg>
          <span class="label">{{ one.label }}</span><span class="value">{{ one.value }}</span>
        </div>
        <LaneMenu
          class="menu"
          :title="lane.title"
          :is-tall="lane.isTall"
          :is-first="index === 0"
          :is-last="index === lanes.length - 1"
          :is-only="lanes.length === 1"
          @act="(what) => act(what, index)"
        />
      </div>
      <LaneChart
        :key="String(isDark)"
        class="chart"
        :lane="lane"
        :view="view"
        :due="due"
        :seconds="seconds"
        :overlay="overlay"
        :axis-width="AXIS"
        :redraws="redraws"
      />
    </div>
    <div class="axis">
      <span
        v-for="second in ticks"
        :key="second"
        class="tick"
        :class="{ last: second > seconds * 0.98 }"
        :style="{ left: `${String(x(second))}px` }"
        >{{ clock(second) }}</span
      >
      <span v-if="cursor !== null" class="now" :style="{ left: `${String(x(cursor + 0.5))}px` }">{{
        clock(cursor)
      }}</span>
    </div>
  </div>
</template>

<style scoped>
.lanes {
  position: relative;
  user-select: none;
  touch-action: pan-y;
}
.ruler {
  position: relative;
  height: 24px;
}
.phase {
  position: absolute;
  height: 24px;
  padding: 3px 6px;
  overflow: hidden;
  background: var(--band);
  font-size: 12px;
  font-weight: 600;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.odd {
  background: var(--band-odd);
}
.lane {
  position: relative;
  display: grid;
  grid-template-columns: 156px minmax(0, 1fr);
  padding-bottom: 6px;
}
.title {
  padding: 1px 8px 0 0;
  line-height: 15px;
}
.head,
.readout {
  display: flex;
  gap: 5px;
  align-items: baseline;
  white-space: nowrap;
}
.head b,
.label {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.over,
.readout {
  font-size: 11.5px;
}
.readout svg {
  flex: none;
}
.readout path {
  stroke-width: 2;
}
.readout .dashed {
  stroke-dasharray: 4 3;
}
.readout .bar {
  stroke-width: 8;
}
.value {
  font-variant-numeric: tabular-nums;
}
.menu {
  position: absolute;
  top: 1px;
  left: 124px;
  background: var(--paper);
  opacity: 0;
}
.lane:hover .menu,
.menu:focus-within {
  opacity: 1;
}
.mark {
  position: absolute;
  top: 0;
  z-index: 1;
  max-width: 180px;
  height: 24px;
  padding: 3px 6px;
  overflow: hidden;
  border-left: 2px solid var(--ochre);
  background: var(--band);
  color: var(--ochre-text);
  font-size: 12px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.axis {
  position: relative;
  height: 18px;
}
.tick,
.now {
  position: absolute;
  transform: translateX(-50%);
  color: var(--soft);
  font-size: 11.5px;
}
.tick:first-child {
  transform: none;
}
.tick.last {
  transform: translateX(-100%);
}
.now {
  padding: 0 7px;
  background: var(--ink);
  color: var(--sheet);
}
</style>
