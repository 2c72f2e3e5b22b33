<script setup lang="ts">
// What was done once, before the load and after it.
import { formatMs, type OnceResult } from '@jolt-gate/core'
import { ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'

const props = defineProps<{ setup: OnceResult[]; teardown: OnceResult[] }>()
const rows = computed(() => [
  ...props.setup.map((one) => ({ ...one, when: 'setup' })),
  ...props.teardown.map((one) => ({ ...one, when: 'teardown' })),
])
</script>

<template>
  <ElTable :data="rows" size="small" empty-text="The plan has neither setup nor teardown">
    <ElTableColumn prop="when" label="when" width="110" />
    <ElTableColumn prop="name" label="step" min-width="200" />
    <ElTableColumn label="outcome" min-width="260">
      <template #default="{ row }">
        <span v-if="row.passed">passed</span>
        <span v-else class="fault">failed: {{ row.reason }}</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="response time" width="140" align="right">
      <template #default="{ row }">{{ row.responseTimeMs === null ? '–' : formatMs(row.responseTimeMs) }}</template>
    </ElTableColumn>
  </ElTable>
</template>
