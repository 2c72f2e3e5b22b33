<script setup lang="ts">
// What runs by the clock in a project, over all its pipelines: when next, how it went last, and Pause.
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { ElButton, ElTable, ElTableColumn } from 'element-plus'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import { useMay } from '../stores/may.js'
import { ago } from '../text/figures.js'
import VerdictSign from '../verdict/VerdictSign.vue'
import { untilWords } from './pipeline-picture.js'
import { inZone, OWN_ZONE } from './schedule-form.js'

const route = useRoute()
const now = useNow({ interval: 30_000 })
const queries = useQueryClient()
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const { data, error, isLoading, refetch } = useQuery({
  queryKey: ['pipeline', project, 'schedules'],
  queryFn: async () => {
    const { pipelines } = await api.pipelines(project.value)
    const all = await Promise.all(pipelines.map(({ file }) => api.pipeline(project.value, file, '')))
    return all.flatMap(({ pipeline, schedules }) =>
      schedules.map((schedule) => ({
        ...{ ...schedule, key: `${pipeline.file} ${schedule.stage}`, file: pipeline.file, pipeline: pipeline.name },
        plans: pipeline.stages.find(({ name }) => name === schedule.stage)?.plans ?? [],
      })),
    )
  },
})
const rows = computed(() =>
  (data.value ?? []).toSorted((one, other) => (one.nextAt ?? '~').localeCompare(other.nextAt ?? '~')),
)
type Row = (typeof rows.value)[number]
const fault = ref('')
const busy = ref('')
async function act(place: number, work: (row: Row) => Promise<unknown>): Promise<void> {
  const row = rows.value[place]
  if (row === undefined) return
  fault.value = ''
  busy.value = row.key
  await work(row).catch((problem: unknown) => (fault.value = wordsOf(problem)))
  await queries.invalidateQueries({ queryKey: ['pipeline', project.value] })
  busy.value = ''
}
const pause = (place: number) =>
  act(place, ({ file, stage, isPaused }) =>
    api.pauseSchedule(project.value, { pipeline: file, stage, isPaused: !isPaused }),
  )
const run = (place: number) => act(place, ({ file, stage }) => api.runStage(project.value, file, stage))
</script>

<template>
  <div class="padded">
    <PageHead title="Schedules">
      <span class="soft">your clock: {{ OWN_ZONE }}</span>
      <RouterLink :to="{ name: 'pipelines', params: { project } }">Pipelines</RouterLink>
    </PageHead>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <PageError
      v-if="error && !data"
      title="The schedules could not be read"
      :detail="wordsOf(error)"
      @again="refetch()"
    />
    <p v-else-if="isLoading && !data" class="soft wait">Loading schedules…</p>
    <div v-else-if="rows.length === 0" class="wait">
      <h2>No schedules yet</h2>
      <p class="soft">
        Open a <RouterLink :to="{ name: 'plans', params: { project } }">plan</RouterLink> and choose <i>Schedule…</i> in
        its menu.
      </p>
    </div>
    <ElTable v-else :data="rows" row-key="key" size="small" aria-label="Schedules">
      <ElTableColumn label="stage" min-width="150">
        <template #default="{ row }">
          <RouterLink :to="{ name: 'stage', params: { project }, query: { file: row.file, stage: row.stage } }"
            ><b>{{ row.stage }}</b></RouterLink
          >
          <div class="soft">
            of
            <RouterLink :to="{ name: 'pipelines', params: { project }, query: { file: row.file } }">{{
              row.pipeline
            }}</RouterLink>
          </div>
        </template>
      </ElTableColumn>
      <ElTableColumn label="plans" min-width="190">
        <template #default="{ row }">
          <div v-for="plan in row.plans" :key="plan.file">
            <RouterLink :to="{ name: 'plan', params: { project }, query: { file: plan.file } }">{{
              plan.name
            }}</RouterLink>
            <span class="soft"> against {{ plan.target }}</span>
          </div>
        </template>
      </ElTableColumn>
      <ElTableColumn label="next, on your clock" min-width="190">
        <template #default="{ row }">
          <span v-if="row.isPaused" class="soft">paused</span>
          <template v-else-if="row.nextAt">
            {{ inZone(row.nextAt, undefined) }}
            <div class="soft">{{ untilWords(row.nextAt, now.getTime()) }}</div>
          </template>
          <span v-else class="soft">never</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="on its own clock" min-width="190">
        <template #default="{ row }">
          <template v-if="row.nextAt && !row.isPaused">{{ inZone(row.nextAt, row.zone) }}</template>
          <div class="soft">
            <code>{{ row.cron }}</code> {{ row.zone }}
          </div>
        </template>
      </ElTableColumn>
      <ElTableColumn label="last" min-width="130">
        <template #default="{ row }">
          <VerdictSign v-if="row.lastVerdict" :verdict="row.lastVerdict" />
          {{ row.lastAt === null ? 'not run yet' : ago(row.lastAt, now.getTime()) }}
        </template>
      </ElTableColumn>
      <ElTableColumn v-if="may.mayWrite" label="" width="170" align="right">
        <template #default="{ row, $index }">
          <ElButton link :disabled="busy !== ''" @click="run($index)">Run now</ElButton>
          <ElButton link :disabled="busy !== ''" @click="pause($index)">{{
            row.isPaused ? 'Continue' : 'Pause'
          }}</ElButton>
        </template>
      </ElTableColumn>
    </ElTable>
  </div>
</template>

<style scoped>
.wait {
  padding: 24px 10px;
}
.padded a {
  color: var(--lake);
}
</style>
