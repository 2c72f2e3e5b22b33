<script setup lang="ts">
// Journeys with the groups of their steps below them.
import { formatMs, type GroupSummary, type JourneySummary, type RunShape } from '@jolt-gate/core'
import { ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { grouped, percent } from '../text/figures.js'

const props = defineProps<{ journeys: JourneySummary[]; groups: GroupSummary[]; shape: RunShape }>()

interface Row {
  key: string
  name: string
  finished: string
  failed: string
  share: string
  unfinished: string
  median: string
  p95: string
  p99: string
  max: string
  children: Row[]
}
const rows = computed(() =>
  props.journeys.map((journey) => ({
    ...rowOf(journey.name, journey.finished, journey.failed, journey.time),
    unfinished: grouped(journey.unfinished),
    // A group that two journeys have stands below both: its times are those of both.
    children: props.groups
      .filter(({ name }) => groupsIn(journey.name).has(name))
      .map(({ name, count, failed, time }) => ({
        ...rowOf(name, count, failed, time),
        key: `${journey.name}: ${name}`,
      })),
  })),
)

const groupsIn = (journey: string) =>
  new Set(props.shape.steps.filter(({ journeys }) => journeys.includes(journey)).map(({ group }) => group))

function rowOf(name: string, finished: number, failed: number, time: JourneySummary['time']): Row {
  const at = (percentile: '50' | '95' | '99') => (time === null ? '–' : formatMs(time.percentiles[percentile]))
  return {
    ...{ key: name, name, children: [], finished: grouped(finished), unfinished: '' },
    failed: grouped(failed),
    share: finished + failed === 0 ? '–' : percent(failed / (finished + failed)),
    ...{ median: at('50'), p95: at('95'), p99: at('99'), max: time === null ? '–' : formatMs(time.max) },
  }
}
const FIGURES = [
  ...['finished', 'failed'].map((name) => ({ prop: name, label: name })),
  { prop: 'share', label: 'failed %' },
  ...['unfinished', 'median', 'p95', 'p99', 'max'].map((name) => ({ prop: name, label: name })),
]
</script>

<template>
  <ElTable :data="rows" row-key="key" default-expand-all size="small" empty-text="No journeys yet">
    <ElTableColumn prop="name" label="journey, group" min-width="200" />
    <ElTableColumn v-for="one in FIGURES" :key="one.prop" v-bind="one" width="88" align="right" />
  </ElTable>
</template>
