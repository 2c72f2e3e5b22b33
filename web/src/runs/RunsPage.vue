<script setup lang="ts">
// The runs of a project, newest first, each with a small picture of its load and response time.
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { formatMs } from '@jolt-gate/core'
import type { RunSummary } from '@jolt-gate/core/api'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import VerdictSign from '../signs/VerdictSign.vue'
import { ago, grouped, lengthOf, percent } from '../text/figures.js'
import RunSpark from './RunSpark.vue'
import { runWords } from '../text/run-words.js'

const route = useRoute()
const router = useRouter()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const {
  data: state,
  isLoading,
  error,
  refetch,
} = useQuery({
  queryKey: ['runs', project],
  queryFn: () => api.runs(project.value),
})

const linkTo = (run: string) => ({ name: 'run', params: { project: project.value, run } })
</script>

<template>
  <div class="runs">
    <div class="head">
      <h1>Runs</h1>
      <span class="soft keys"><i class="key load"></i> arrivals due <i class="key times"></i> p95 of each second</span>
    </div>
    <PageError v-if="error" title="The runs could not be read" :detail="wordsOf(error)" @again="refetch()" />
    <p v-else-if="isLoading && !state" class="wait soft">Loading runs…</p>
    <div v-else-if="state && state.runs.length === 0" class="wait">
      <h2>No runs yet</h2>
      <p class="soft">
        Open a plan and run it. <RouterLink :to="{ name: 'plans', params: { project } }">Open plans</RouterLink>
      </p>
    </div>
    <ElTable
      v-else-if="state"
      class="list"
      :data="state.runs"
      row-key="id"
      size="small"
      @row-click="(run: RunSummary) => router.push(linkTo(run.id))"
    >
      <ElTableColumn prop="number" label="run" width="64" align="right" />
      <ElTableColumn label="verdict" width="180">
        <template #default="{ row }">
          <RouterLink class="verdict" :class="row.verdict ?? 'going'" :to="linkTo(row.id)" @click.stop>
            <VerdictSign :verdict="row.verdict ?? 'going'" />{{ runWords({ verdict: row.verdict, state: row.state }) }}
          </RouterLink>
          <div v-if="row.gates && row.gates.breached > 0" class="soft">
            {{ row.gates.breached }} of {{ row.gates.all }} gates
          </div>
        </template>
      </ElTableColumn>
      <ElTableColumn prop="planName" label="plan" min-width="150" show-overflow-tooltip />
      <ElTableColumn label="load and response time" width="180">
        <template #default="{ row }"><RunSpark v-if="row.spark.due.length > 0" :spark="row.spark" /></template>
      </ElTableColumn>
      <ElTableColumn label="highest p95" width="104" align="right">
        <template #default="{ row }">{{ row.p95 === null ? '–' : formatMs(row.p95) }}</template>
      </ElTableColumn>
      <ElTableColumn label="requests" width="88" align="right">
        <template #default="{ row }">{{ row.requests === null ? '–' : grouped(row.requests) }}</template>
      </ElTableColumn>
      <ElTableColumn label="failed" width="76" align="right">
        <template #default="{ row }">{{ row.failedShare === null ? '–' : percent(row.failedShare) }}</template>
      </ElTableColumn>
      <ElTableColumn label="length" width="76" align="right">
        <template #default="{ row }">{{ lengthOf(row.seconds) }}</template>
      </ElTableColumn>
      <ElTableColumn label="commit" width="130" show-overflow-tooltip>
        <template #default="{ row }">
          <code>{{ row.commit?.slice(0, 7) ?? '–' }}</code> <span class="soft">{{ row.branch }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="when" width="120">
        <template #default="{ row }"
          ><span class="soft">{{ ago(row.askedAt, now.getTime()) }}</span></template
        >
      </ElTableColumn>
    </ElTable>
  </div>
</template>

<style scoped>
.runs {
  padding: 14px 16px;
}
.head {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding-bottom: 12px;
}
.keys {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-left: auto;
}
.key {
  width: 14px;
  height: 2px;
  margin-left: 10px;
}
.key.load {
  background: var(--lake);
}
.key.times {
  background: var(--slate);
}
.verdict {
  display: flex;
  gap: 8px;
  align-items: center;
  font-weight: 650;
  text-decoration: none;
}
.open {
  color: var(--lake);
}
.shut {
  color: var(--brick);
}
.going {
  color: var(--ochre-text);
}
.list :deep(.el-table__row) {
  cursor: pointer;
}
.wait {
  padding: 24px 10px;
}
</style>
