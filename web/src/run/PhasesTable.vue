<script setup lang="ts">
// The phases: what was due in each, and what came of it; a phase selects its seconds.
import { formatMs, type PhasePart, type TimeRange } from '@jolt-gate/core'
import { ElButton, ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { clock, grouped, rate } from '../text/figures.js'

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
      throughput: rate(phase.throughput),
      slowest: slowest.length === 0 ? '–' : formatMs(Math.max(...slowest)),
    }
  }),
)
const FIGURES = [
  { prop: 'due', label: 'due', width: 80 },
  { prop: 'started', label: 'started', width: 80 },
  { prop: 'users', label: 'most users', width: 96 },
  { prop: 'requests', label: 'requests', width: 88 },
  { prop: 'failed', label: 'failed', width: 72 },
  { prop: 'throughput', label: 'per second', width: 96 },
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
