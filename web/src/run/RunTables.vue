<script setup lang="ts">
// What stands under the chart of a run: one table at a time, of the selected seconds.
import type { TimeRange, TimesOf } from '@jolt-gate/core'
import type { RunDetail } from '@jolt-gate/core/api'
import FailuresTable from './FailuresTable.vue'
import JourneysTable from './JourneysTable.vue'
import OnceTable from './OnceTable.vue'
import PhasesTable from './PhasesTable.vue'
import SlowestTable from './SlowestTable.vue'
import StepsTable from './StepsTable.vue'
import TimesView from './TimesView.vue'
import type { RunTab } from './run-tabs.js'
import type { RunPicture } from './run.worker.js'

defineProps<{
  tab: RunTab
  run: RunDetail
  view: RunPicture | undefined
  isShared: boolean
  /** Of the distribution: what is shown, and against what. */
  chosen: string
  against: 'baseline' | 'whole run'
}>()
defineEmits<{ pick: [range: TimeRange]; say: [query: Record<string, string>]; show: [of: TimesOf] }>()
</script>

<template>
  <StepsTable v-if="tab === 'steps'" of="step" :rows="view?.steps ?? []" />
  <StepsTable v-else-if="tab === 'places'" of="place" :rows="view?.places ?? []" />
  <StepsTable v-else-if="tab === 'networks'" of="network" :rows="view?.networks ?? []" />
  <JourneysTable
    v-else-if="tab === 'journeys'"
    :journeys="view?.journeys ?? []"
    :groups="view?.groups ?? []"
    :shape="run.shape"
  />
  <PhasesTable v-else-if="tab === 'phases'" :phases="view?.phases ?? []" @pick="(next) => $emit('pick', next)" />
  <TimesView
    v-else-if="tab === 'times'"
    :shape="run.shape"
    :times="view?.times"
    :baseline="isShared ? null : (run.result?.baseline?.id ?? run.baseline?.id ?? null)"
    :chosen="chosen"
    :against="against"
    @choose="(of) => $emit('say', { of })"
    @against="(next) => $emit('say', { against: next })"
    @show="(of) => $emit('show', of)"
  />
  <OnceTable v-else-if="tab === 'once'" :setup="run.result?.setup ?? []" :teardown="run.result?.teardown ?? []" />
  <SlowestTable
    v-else-if="tab === 'slowest'"
    :steps="view?.steps ?? []"
    :traces="run.shape.traces"
    @pick="(next) => $emit('pick', next)"
  />
  <FailuresTable v-else :steps="view?.steps ?? []" :traces="run.shape.traces" />
</template>
