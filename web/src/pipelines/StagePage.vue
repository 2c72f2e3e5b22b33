<script setup lang="ts">
// A stage's history: each time that it was run, how it ended, and why.
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import VerdictSign from '../verdict/VerdictSign.vue'
import { ago, lengthOf } from '../text/figures.js'
import { historyWords, signOf, stateWords } from './pipeline-picture.js'

const route = useRoute()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const [file, stage] = [computed(() => String(route.query['file'])), computed(() => String(route.query['stage']))]
const { data, error, refetch } = useQuery({
  queryKey: ['stage history', project, file, stage],
  queryFn: () => api.stageHistory(project.value, file.value, stage.value),
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
    <p v-else-if="!data" class="soft">Loading the history…</p>
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
        <ElTableColumn prop="took" label="duration" width="80" align="right" />
      </ElTable>
    </template>
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
