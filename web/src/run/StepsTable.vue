<script setup lang="ts">
// The figures of each step, of each place, or of each network.
import { formatMs, type PartSummary } from '@jolt-gate/core'
import { ElTable, ElTableColumn } from 'element-plus'
import { grouped, percent, rate } from '../text/figures.js'

defineProps<{ of: 'step' | 'place' | 'network'; rows: PartSummary[] }>()

const time = (value: number | undefined) => (value === undefined ? '–' : formatMs(value))
const by = (value: (step: PartSummary) => number) => (a: PartSummary, b: PartSummary) => value(a) - value(b)
const columns: {
  label: string
  width: number
  value: (step: PartSummary) => number
  text: (step: PartSummary) => string
}[] = [
  { label: 'requests', width: 88, value: (step) => step.requests, text: (step) => grouped(step.requests) },
  { label: 'failed', width: 76, value: (step) => step.failed, text: (step) => grouped(step.failed) },
  { label: 'failed %', width: 84, value: (step) => step.failedShare, text: (step) => percent(step.failedShare) },
  {
    label: 'throughput',
    width: 100,
    value: (step) => step.throughput,
    text: (step) => `${rate(step.throughput)}/s`,
  },
  {
    label: 'median',
    width: 80,
    value: (step) => step.responseTime?.percentiles['50'] ?? -1,
    text: (step) => time(step.responseTime?.percentiles['50']),
  },
  {
    label: 'p95',
    width: 80,
    value: (step) => step.responseTime?.percentiles['95'] ?? -1,
    text: (step) => time(step.responseTime?.percentiles['95']),
  },
  {
    label: 'p99',
    width: 80,
    value: (step) => step.responseTime?.percentiles['99'] ?? -1,
    text: (step) => time(step.responseTime?.percentiles['99']),
  },
  {
    label: 'max',
    width: 80,
    value: (step) => step.responseTime?.max ?? -1,
    text: (step) => time(step.responseTime?.max),
  },
]
</script>

<template>
  <ElTable :data="rows" size="small" empty-text="No requests yet">
    <ElTableColumn prop="name" :label="of" min-width="180" sortable />
    <ElTableColumn
      v-for="column in columns"
      :key="column.label"
      :label="column.label"
      :min-width="column.width"
      align="right"
      sortable
      :sort-method="by(column.value)"
    >
      <template #default="{ row }">{{ column.text(row) }}</template>
    </ElTableColumn>
  </ElTable>
</template>
