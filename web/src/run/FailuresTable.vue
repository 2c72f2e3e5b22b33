<script setup lang="ts">
// Failures by step and kind, with when each began, and one request of each in full.
import type { KeptRequest, StepSummary } from '@jolt-gate/core'
import { ElButton, ElDialog, ElTable, ElTableColumn } from 'element-plus'
import { computed, ref } from 'vue'
import ExchangeView from '../rehearsal/ExchangeView.vue'
import { clock, grouped } from '../text/figures.js'
import TraceLink from './TraceLink.vue'

const props = defineProps<{ steps: StepSummary[]; traces: string | undefined }>()
const rows = computed(() =>
  props.steps
    .flatMap((step) => step.failures.map((failure) => ({ step: step.name, ...failure })))
    .sort((a, b) => b.count - a.count),
)
const opened = ref<KeptRequest | null>(null)
const isOpen = computed({
  get: () => opened.value !== null,
  set: (open) => {
    if (!open) opened.value = null
  },
})
</script>

<template>
  <p v-if="rows.length === 0" class="soft none">No failures.</p>
  <ElTable v-else :data="rows" size="small">
    <ElTableColumn prop="step" label="step" min-width="130" show-overflow-tooltip />
    <ElTableColumn prop="kind" label="kind" width="96" />
    <ElTableColumn prop="detail" label="detail" min-width="200" show-overflow-tooltip />
    <ElTableColumn label="count" width="84" align="right">
      <template #default="{ row }">{{ grouped(row.count) }}</template>
    </ElTableColumn>
    <ElTableColumn label="first at" width="84" align="right">
      <template #default="{ row }">{{ clock(row.firstAtMs / 1000) }}</template>
    </ElTableColumn>
    <ElTableColumn label="response" min-width="200" show-overflow-tooltip>
      <template #default="{ row }">
        <code>{{ row.sample.slice(0, 120) }}</code>
      </template>
    </ElTableColumn>
    <ElTableColumn label="example" width="104">
      <template #default="{ row }">
        <ElButton v-if="row.kept" link @click="opened = row.kept">Open</ElButton>
      </template>
    </ElTableColumn>
  </ElTable>
  <ElDialog v-model="isOpen" width="min(1080px, 92vw)" destroy-on-close append-to-body title="Failed request">
    <template v-if="opened">
      <p class="soft where">
        {{ opened.stage }}, due at {{ clock(opened.dueMs / 1000) }}
        <template v-if="opened.trace">· trace <TraceLink :trace="opened.trace" :traces="traces" /></template>
      </p>
      <ExchangeView :step="opened" :before="undefined" :can-resume="false" />
    </template>
  </ElDialog>
</template>

<style scoped>
.none {
  padding: 8px;
}
.where {
  padding: 0 18px;
}
</style>
