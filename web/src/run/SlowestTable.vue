<script setup lang="ts">
// The requests of each step that took longest, with the parts of their time; a moment selects its seconds.
import { formatMs, type StepSummary, type TimeRange } from '@jolt-gate/core'
import { ElButton, ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { clock } from '../text/figures.js'
import TraceLink from './TraceLink.vue'

const props = defineProps<{ steps: StepSummary[]; traces: string | undefined }>()
defineEmits<{ pick: [range: TimeRange] }>()

/** Before and after the moment when it was due. */
const AROUND_SECONDS = 5
const time = (ms: number | null) => (ms === null ? '–' : formatMs(ms))
const rows = computed(() =>
  props.steps
    .flatMap((step) => step.slowest.map((one) => ({ step: step.name, ...one })))
    .toSorted((one, other) => other.total - one.total)
    .map((one, index) => {
      const dueSecond = Math.floor(one.dueMs / 1000)
      return {
        key: index,
        step: one.step,
        note: one.failed ? 'failed' : '',
        at: clock(dueSecond),
        range: {
          fromSecond: Math.max(0, dueSecond - AROUND_SECONDS),
          toSecond: Math.ceil((one.dueMs + one.total) / 1000) + AROUND_SECONDS,
        },
        total: time(one.total),
        dns: time(one.dns),
        connect: time(one.connect),
        tls: time(one.tls),
        firstByte: time(one.firstByte),
        receive: time(one.receive),
        trace: one.trace,
      }
    }),
)
const PARTS = [
  { prop: 'total', label: 'total', width: 92 },
  { prop: 'dns', label: 'DNS', width: 84 },
  { prop: 'connect', label: 'connecting', width: 96 },
  { prop: 'tls', label: 'TLS', width: 84 },
  { prop: 'firstByte', label: 'first byte', width: 96 },
  { prop: 'receive', label: 'receiving', width: 92 },
]
</script>

<template>
  <ElTable :data="rows" row-key="key" size="small" empty-text="No requests yet">
    <ElTableColumn label="step" min-width="160" show-overflow-tooltip>
      <template #default="{ row }"
        >{{ row.step }} <span class="note">{{ row.note }}</span></template
      >
    </ElTableColumn>
    <ElTableColumn label="due at" width="84" align="right">
      <template #default="{ row }"
        ><ElButton link @click="$emit('pick', row.range)">{{ row.at }}</ElButton></template
      >
    </ElTableColumn>
    <ElTableColumn v-for="part in PARTS" :key="part.prop" v-bind="part" align="right" />
    <ElTableColumn label="trace" width="110">
      <template #default="{ row }"><TraceLink v-if="row.trace" :trace="row.trace" :traces="traces" /></template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.note {
  color: var(--brick);
}
</style>
