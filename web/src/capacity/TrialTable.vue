<script setup lang="ts">
// The trials of a search, the latest first.
import { formatMs, loadWords, type CapacityUnit, type TrialMade } from '@jolt-gate/core'
import { ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { grouped, percent, rate } from '../text/figures.js'
import VerdictSign from '../verdict/VerdictSign.vue'
import { observedWords, whyWords } from './capacity-words.js'

const props = defineProps<{ trials: readonly TrialMade[]; unit: CapacityUnit; rule: string | undefined }>()
const rows = computed(() =>
  props.trials
    .map((trial, index) => ({
      ...trial,
      number: index + 1,
      loaded: loadWords(trial.load, props.unit),
      observed: observedWords(trial, props.rule),
      next: whyWords(trial, props.trials[index - 1]),
      sign: trial.answer === 'not delivered' ? ('unmeasured' as const) : trial.answer,
    }))
    .toReversed(),
)
</script>

<template>
  <ElTable :data="rows" row-key="number" size="small" aria-label="Trials" empty-text="No trial has ended yet">
    <ElTableColumn label="trial" prop="number" width="56" align="right" />
    <ElTableColumn label="load" width="96" align="right">
      <template #default="{ row }"
        ><b>{{ row.loaded }}</b></template
      >
    </ElTableColumn>
    <ElTableColumn label="answer" min-width="130">
      <template #default="{ row }"><VerdictSign :verdict="row.sign" /> {{ row.answer }}</template>
    </ElTableColumn>
    <ElTableColumn label="observed" prop="observed" min-width="88" align="right" />
    <ElTableColumn label="passed" width="90" align="right">
      <template #default="{ row }">{{ rate(row.throughput) }}/s</template>
    </ElTableColumn>
    <ElTableColumn label="failed" width="80" align="right">
      <template #default="{ row }">{{ percent(row.failedShare) }}</template>
    </ElTableColumn>
    <ElTableColumn label="requests" width="84" align="right">
      <template #default="{ row }">{{ grouped(row.requests) }}</template>
    </ElTableColumn>
    <ElTableColumn label="in service" width="84" align="right">
      <template #default="{ row }">{{ rate(row.users) }}</template>
    </ElTableColumn>
    <ElTableColumn label="generator" width="90" align="right">
      <template #default="{ row }"
        ><span class="soft">{{
          row.generatorErrorMs === null ? '–' : `±${formatMs(row.generatorErrorMs)}`
        }}</span></template
      >
    </ElTableColumn>
    <ElTableColumn label="why this load" min-width="190">
      <template #default="{ row }"
        ><span class="soft">{{ row.next }}</span></template
      >
    </ElTableColumn>
  </ElTable>
</template>
