<script setup lang="ts">
// Failures by step and kind, with when each began and a sample response.
import type { StepSummary } from '@jolt-gate/core'
import { ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { clock, grouped } from '../text/figures.js'

const props = defineProps<{ steps: StepSummary[] }>()
const rows = computed(() =>
  props.steps
    .flatMap((step) => step.failures.map((failure) => ({ step: step.name, ...failure })))
    .sort((a, b) => b.count - a.count),
)
</script>

<template>
  <p v-if="rows.length === 0" class="soft none">No failures.</p>
  <ElTable v-else :data="rows" size="small">
    <ElTableColumn prop="step" label="step" min-width="130" show-overflow-tooltip />
    <ElTableColumn prop="kind" label="kind" width="96" />
    <ElTableColumn prop="detail" label="what" min-width="200" show-overflow-tooltip />
    <ElTableColumn label="times" width="84" align="right">
      <template #default="{ row }">{{ grouped(row.count) }}</template>
    </ElTableColumn>
    <ElTableColumn label="first at" width="84" align="right">
      <template #default="{ row }">{{ clock(row.firstAtMs / 1000) }}</template>
    </ElTableColumn>
    <ElTableColumn label="sample response" min-width="220" show-overflow-tooltip>
      <template #default="{ row }">
        <code>{{ row.sample.slice(0, 120) }}</code>
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.none {
  padding: 8px;
}
</style>
