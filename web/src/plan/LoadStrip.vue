<script setup lang="ts">
// The load that the plan would make, before it is made: totals, and arrivals per second over time.
import { durationOf, previewOf, type Phase, type Plan, type Preview } from '@jolt-gate/core'
import { useElementSize } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { rate } from '../text/figures.js'
import LoadPicture from './LoadPicture.vue'
import LoadTotals from './LoadTotals.vue'

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
</script>

<template>
  <div class="strip">
    <LoadTotals :preview="preview" :may-write="mayWrite" @add="$emit('add')" />
    <div ref="box" class="picture">
      <LoadPicture
        v-if="preview && width > 0"
        :preview="preview"
        :phases="phases"
        :width="width"
        :chosen="chosen"
        :held-figure="heldFigure"
        :may-write="mayWrite"
        @length="(phase, seconds) => $emit('length', phase, seconds)"
        @rate="(phase, from, to) => $emit('rate', phase, from, to)"
        @held="held = $event"
        @pick="(at) => $emit('pick', at)"
      />
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
.picture {
  min-width: 0;
  height: 176px;
}
.none {
  padding: 60px 0;
}
</style>
