<script setup lang="ts">
// A stage's history: each time that it was run, how it ended, and why; of an admission, its answers.
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { ElTable, ElTableColumn } from 'element-plus'
import type { ChangeLine } from '@jolt-gate/core/api'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import VerdictSign from '../verdict/VerdictSign.vue'
import { ago, lengthOf } from '../text/figures.js'
import { useMay } from '../stores/may.js'
import AdmissionList from './AdmissionList.vue'
import ApproveDialog from './ApproveDialog.vue'
import { historyWords, signOf, stateWords } from './pipeline-picture.js'

const route = useRoute()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const [file, stage] = [computed(() => String(route.query['file'])), computed(() => String(route.query['stage']))]
const { data, error, refetch } = useQuery({
  queryKey: ['stage history', project, file, stage],
  queryFn: () => api.stageHistory(project.value, file.value, stage.value),
})
const { data: standing } = useQuery({
  queryKey: ['pipeline', project, file, ''],
  queryFn: () => api.pipeline(project.value, file.value, ''),
})
const place = computed(() => standing.value?.pipeline.stages.findIndex(({ name }) => name === stage.value) ?? -1)
const own = computed(() => standing.value?.pipeline.stages[place.value])
const may = useMay(() => project.value)
const opened = ref<ChangeLine>()
const asked = computed(() => {
  const change = opened.value
  if (change === undefined) return undefined
  const words = change.stages[place.value]?.admission?.words ?? ''
  return { stage: stage.value, commit: change.commit, message: change.message ?? '', words }
})
const approve = (reason: string) =>
  api.approveStage(project.value, {
    ...{ pipeline: file.value, stage: stage.value, commit: opened.value?.commit ?? '', reason },
  })
const rows = computed(() =>
  (data.value?.entries ?? []).map((entry) => ({
    ...entry,
    sign: signOf(entry.state),
    title: stateWords(entry.state),
    took:
      entry.endedAt === null
        ? ''
        : lengthOf(Math.round((Date.parse(entry.endedAt) - Date.parse(entry.askedAt)) / 1000)),
  })),
)
</script>

<template>
  <div class="stage padded">
    <PageHead :title="stage">
      <span class="soft">of {{ data?.pipeline ?? file }}</span>
      <RouterLink :to="{ name: 'pipelines', params: { project }, query: { file } }">Pipelines</RouterLink>
    </PageHead>
    <PageError
      v-if="error && !data"
      title="The history could not be read"
      :detail="wordsOf(error)"
      @again="refetch()"
    />
    <p v-else-if="!data || !standing" class="soft">Loading the history…</p>
    <AdmissionList
      v-else-if="own?.isAdmission"
      :stage="own"
      :place="place"
      :changes="standing.changes"
      :now="now.getTime()"
      :may-approve="may.isAdministrator && own.hasApproval"
      @approve="(change) => (opened = change)"
    />
    <template v-else>
      <p class="sum">{{ historyWords(data.entries) }}</p>
      <ElTable :data="rows" row-key="id" size="small" empty-text="Not run yet" aria-label="History of the stage">
        <ElTableColumn label="started" width="110">
          <template #default="{ row }">{{ ago(row.askedAt, now.getTime()) }}</template>
        </ElTableColumn>
        <ElTableColumn label="change" min-width="210">
          <template #default="{ row }">
            <b v-if="row.message" class="message">{{ row.message }}</b>
            <div class="soft">
              <code>{{ row.commit.slice(0, 7) }}</code>
              <template v-if="row.branch"> on {{ row.branch }}</template>
            </div>
          </template>
        </ElTableColumn>
        <ElTableColumn label="state" min-width="250">
          <template #default="{ row }">
            <VerdictSign v-if="row.sign" :verdict="row.sign" />
            <b>{{ row.title }}</b>
            <div v-if="row.words" class="soft">{{ row.words }}</div>
          </template>
        </ElTableColumn>
        <ElTableColumn label="runs" min-width="200">
          <template #default="{ row }">
            <div v-for="run in row.runs" :key="run.id">
              <VerdictSign v-if="run.verdict" :verdict="run.verdict" />
              <RouterLink :to="{ name: 'run', params: { project, run: run.id } }">{{ run.plan }}</RouterLink>
              <span v-if="run.unfit" class="soft">: does not count: {{ run.unfit }}</span>
            </div>
          </template>
        </ElTableColumn>
        <ElTableColumn prop="by" label="started by" min-width="150" show-overflow-tooltip />
        <ElTableColumn prop="took" label="length" width="80" align="right" />
      </ElTable>
    </template>
    <ApproveDialog :asked="asked" :approve="approve" @close="opened = undefined" />
  </div>
</template>

<style scoped>
.sum {
  padding-bottom: 10px;
}
.stage a {
  color: var(--lake);
}
.stage .sign {
  margin-right: 6px;
}
.message {
  overflow-wrap: anywhere;
}
:deep(td.el-table__cell) {
  vertical-align: top;
}
</style>
