<script setup lang="ts">
// The runs of a trend, the latest first, to be opened or chosen.
import { formatMs } from '@jolt-gate/core'
import type { TrendRun } from '@jolt-gate/core/api'
import { useNow } from '@vueuse/core'
import { ElButton, ElCheckbox, ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import VerdictSign from '../verdict/VerdictSign.vue'
import { ago, percent } from '../text/figures.js'
import { runWords } from '../text/run-words.js'

const props = defineProps<{ project: number; runs: TrendRun[]; chosen: string[] }>()
defineEmits<{ toggle: [run: string] }>()
const router = useRouter()
const now = useNow({ interval: 60_000 })
const rows = computed(() => props.runs.toReversed())
const open = (run: string) => router.push({ name: 'run', params: { project: props.project, run } })
</script>

<template>
  <ElTable :data="rows" size="small" max-height="300" class="list" aria-label="Runs of the trend">
    <ElTableColumn width="44">
      <template #default="{ row }">
        <ElCheckbox
          :model-value="chosen.includes(row.id)"
          :aria-label="`Select run ${row.number}`"
          @change="$emit('toggle', row.id)"
        />
      </template>
    </ElTableColumn>
    <ElTableColumn prop="number" label="run" width="60" align="right" />
    <ElTableColumn label="verdict" width="170">
      <template #default="{ row }">
        <ElButton link class="verdict" @click="open(row.id)">
          <VerdictSign :verdict="row.verdict ?? 'going'" />{{ runWords({ verdict: row.verdict, state: 'ended' }) }}
        </ElButton>
      </template>
    </ElTableColumn>
    <ElTableColumn label="commit" min-width="120" show-overflow-tooltip>
      <template #default="{ row }">
        <code>{{ row.commit?.slice(0, 7) ?? '–' }}</code> <span class="soft">{{ row.branch }}</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="highest p95" width="104" align="right">
      <template #default="{ row }">{{ row.p95 === null ? '–' : formatMs(row.p95) }}</template>
    </ElTableColumn>
    <ElTableColumn label="failed" width="76" align="right">
      <template #default="{ row }">{{ row.failedShare === null ? '–' : percent(row.failedShare) }}</template>
    </ElTableColumn>
    <ElTableColumn label="started" width="150" show-overflow-tooltip>
      <template #default="{ row }">
        <span class="soft">{{ ago(row.askedAt, now.getTime()) }}{{ row.startedBy ? `, ${row.startedBy}` : '' }}</span>
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.verdict :deep(> span) {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
