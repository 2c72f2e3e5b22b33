<script setup lang="ts">
// The phases: what was due in each, and what came of it; a phase selects its seconds.
import { formatMs, type PhasePart, type TimeRange } from '@jolt-gate/core'
import { ElButton, ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { clock, grouped, percent, rate } from '../text/figures.js'

const props = defineProps<{ phases: PhasePart[] }>()
defineEmits<{ pick: [range: TimeRange] }>()

const rows = computed(() =>
  props.phases.map(({ name, track, measured, fromMs, toMs, steps, ...phase }, index) => {
    const slowest = steps.flatMap(({ responseTime }) => responseTime?.percentiles['95'] ?? [])
    const total = (of: 'requests' | 'failed') => grouped(steps.reduce((sum, step) => sum + step[of], 0))
    return {
      key: index,
      name,
      note: [...(track === null ? [] : [track]), ...(measured ? [] : ['not measured'])].join(', '),
      range: { fromSecond: Math.floor(fromMs / 1000), toSecond: Math.ceil(toMs / 1000) },
      span: `${clock(fromMs / 1000)} – ${clock(toMs / 1000)}`,
      due: phase.arrivalsDue === null ? '–' : grouped(Math.round(phase.arrivalsDue)),
      started: grouped(phase.arrivalsStarted),
      users: grouped(phase.peakUsers),
      requests: total('requests'),
      failed: total('failed'),
      share: shareOf(steps),
      throughput: `${rate(phase.throughput)}/s`,
      slowest: slowest.length === 0 ? '–' : formatMs(Math.max(...slowest)),
    }
  }),
)
function shareOf(steps: PhasePart['steps']): string {
  const of = (what: 'requests' | 'failed') => steps.reduce((sum, step) => sum + step[what], 0)
  return of('requests') === 0 ? '–' : percent(of('failed') / of('requests'))
}
const FIGURES = [
  { prop: 'due', label: 'due', width: 72 },
  { prop: 'started', label: 'started', width: 76 },
  { prop: 'users', label: 'peak users', width: 92 },
  { prop: 'requests', label: 'requests', width: 88 },
  { prop: 'failed', label: 'failed', width: 72 },
  { prop: 'share', label: 'failed %', width: 82 },
  { prop: 'throughput', label: 'throughput', width: 96 },
  { prop: 'slowest', label: 'slowest p95', width: 104 },
]
</script>

<template>
  <ElTable :data="rows" row-key="key" size="small" empty-text="No phases">
    <ElTableColumn label="phase" min-width="150">
      <template #default="{ row }">
        <ElButton link @click="$emit('pick', row.range)">{{ row.name }}</ElButton>
        <span class="soft note">{{ row.note }}</span>
      </template>
    </ElTableColumn>
    <ElTableColumn prop="span" label="from, to" width="116" />
    <ElTableColumn v-for="one in FIGURES" :key="one.prop" v-bind="one" align="right" />
  </ElTable>
</template>

<style scoped>
.note {
  padding-left: 6px;
}
</style>
