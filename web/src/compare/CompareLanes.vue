<script setup lang="ts">
// The lanes of compared runs over one another, with one cursor through all of them.
import { computed, ref } from 'vue'
import { clock } from '../text/figures.js'
import { BESIDE_PLOT, COMPARE_LANES, valueAt, type ComparedRun } from './compare-picture.js'
import CompareChart from './CompareChart.vue'

const props = defineProps<{ runs: ComparedRun[]; seconds: number }>()
const box = ref<HTMLElement>()
const cursor = ref<number | null>(null)

/** What each lane says at the cursor, run by run. */
const readings = computed(() =>
  COMPARE_LANES.map((lane) => {
    const [base, second] = [props.runs[0], cursor.value]
    if (base === undefined || second === null) return []
    return props.runs.map(({ detail, result }) => {
      const value = valueAt(lane, result, base.result, second)
      return `run ${String(detail.number)}: ${value === null ? '–' : lane.tick(value)}`
    })
  }),
)

function onMove(event: PointerEvent): void {
  const plot = box.value?.querySelector('canvas')?.getBoundingClientRect()
  if (plot === undefined) return
  const { left, right } = BESIDE_PLOT
  const share = (event.clientX - plot.left - left) / (plot.width - left - right)
  cursor.value = share >= 0 && share < 1 ? Math.floor(share * props.seconds) : null
}
function onKey(event: KeyboardEvent): void {
  if (event.key === 'Escape') cursor.value = null
  const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0
  if (step === 0) return
  event.preventDefault()
  cursor.value = Math.max(0, Math.min(props.seconds - 1, (cursor.value ?? -step) + step))
}
</script>

<template>
  <section
    ref="box"
    class="lanes"
    tabindex="0"
    aria-label="Lanes of the runs. Arrow keys move the cursor, Escape removes it."
    @pointermove="onMove"
    @pointerleave="cursor = null"
    @keydown="onKey"
  >
    <div v-for="(lane, index) in COMPARE_LANES" :key="lane.key" class="lane">
      <div>
        <b>{{ lane.title }}</b><br /><span class="soft">{{ lane.note }}</span>
      </div>
      <CompareChart
        :lane="lane"
        :runs="runs"
        :seconds="seconds"
        :cursor="cursor"
        :reading="readings[index] ?? []"
        :has-axis="index === COMPARE_LANES.length - 1"
      />
    </div>
    <span class="at soft" aria-live="polite">{{ cursor === null ? '' : `at ${clock(cursor)} of the first run` }}</span>
  </section>
</template>

<style scoped>
.lane {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr);
  gap: 8px;
  padding: 4px 0;
  border-top: 1px solid var(--rule);
}
.at {
  display: block;
  min-height: 1.5em;
  text-align: right;
}
</style>
