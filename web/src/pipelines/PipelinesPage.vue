<script setup lang="ts">
// The pipelines of a project: where each change stands, what waits, and how a pipeline elsewhere asks.
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElEmpty, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { ChangeLine } from '@jolt-gate/core/api'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import { useMay } from '../stores/may.js'
import ApproveDialog from './ApproveDialog.vue'
import PipelineAside from './PipelineAside.vue'
import PipelineTable from './PipelineTable.vue'
import { commandsFor } from './pipeline-picture.js'

const ALL = ''
const [route, router] = [useRoute(), useRouter()]
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const said = (key: string) => String(route.query[key] ?? '')
const say = (query: Record<string, string>) => void router.replace({ query: { ...route.query, ...query } })

const {
  data: list,
  error: listError,
  isPending,
  refetch,
} = useQuery({ queryKey: ['pipelines', project], queryFn: () => api.pipelines(project.value) })
const file = computed(() => said('file') || (list.value?.pipelines[0]?.file ?? ''))
const branch = computed({
  get: () => said('of'),
  set: (of) => {
    say({ of })
  },
})
const { data, error } = useQuery({
  queryKey: ['pipeline', project, file, branch],
  queryFn: () => api.pipeline(project.value, file.value, branch.value),
  enabled: () => file.value !== '',
})
const pipeline = computed(() => data.value?.pipeline)
const changes = computed(() => data.value?.changes ?? [])
const { data: queue } = useQuery({ queryKey: ['queue'], queryFn: () => api.queue() })
const runnable = computed(() => (pipeline.value?.stages ?? []).filter(({ isAdmission }) => !isAdmission))
const actFault = ref('')
const isBusy = ref(false)
async function doing(task: () => Promise<unknown>): Promise<void> {
  actFault.value = ''
  isBusy.value = true
  await task().catch((problem: unknown) => (actFault.value = wordsOf(problem)))
  isBusy.value = false
}
const run = (stage: string) => doing(() => api.runStage(project.value, file.value, stage))
const pause = (stage: string, isPaused: boolean) =>
  doing(() => api.pauseSchedule(project.value, { pipeline: file.value, stage, isPaused }))

const edit = (of: string) =>
  router.push({ name: 'pipeline-file', params: { project: project.value }, query: of === '' ? {} : { file: of } })

const chosen = ref('')
const commit = computed(() => (chosen.value || (changes.value[0]?.commit ?? 'COMMIT')).slice(0, 12))
const commands = computed(() =>
  pipeline.value === undefined
    ? []
    : commandsFor(pipeline.value, location.origin, project.value, commit.value, list.value?.pipelines.length === 1),
)

const opened = ref<{ change: ChangeLine; stage: number }>()
const asked = computed(() => {
  const { change, stage = 0 } = opened.value ?? {}
  const at = change?.stages[stage]
  if (change === undefined || at === undefined) return undefined
  const { commit: of, message } = change
  return { stage: at.at.stage, commit: of, message: message ?? '', words: at.admission?.words ?? at.at.state }
})
async function approve(reason: string): Promise<void> {
  if (asked.value === undefined) return
  const { stage, commit: of } = asked.value
  await api.approveStage(project.value, { pipeline: file.value, stage, commit: of, reason })
}
</script>

<template>
  <div class="padded">
    <PageError
      v-if="listError"
      title="The pipelines could not be read"
      :detail="wordsOf(listError)"
      @again="refetch()"
    />
    <p v-else-if="isPending" class="soft wait">Loading pipelines…</p>
    <ElEmpty v-else-if="list?.pipelines.length === 0" :image-size="0">
      <template #description>
        <h2>No pipeline yet</h2>
        <p class="soft">
          Commit a file <code>pipelines/NAME.pipeline.yaml</code> that names its stages; then the command asks here with
          <code>jolt-gate admit</code> whether a change may go on.
        </p>
      </template>
      <ElButton v-if="may.mayWrite" type="primary" @click="edit('')">New pipeline…</ElButton>
    </ElEmpty>
    <template v-else>
      <PageHead :title="pipeline?.name ?? 'Pipeline'">
        <ElSelect
          v-if="(list?.pipelines.length ?? 0) > 1"
          class="file"
          aria-label="Pipeline"
          :model-value="file"
          @update:model-value="(next: string) => say({ file: next })"
        >
          <ElOption v-for="one in list?.pipelines" :key="one.file" :value="one.file" :label="one.file" />
        </ElSelect>
        <code v-else class="soft">{{ file }}</code>
        <ElSelect v-model="branch" class="branch" aria-label="Branch" :empty-values="[null, undefined]">
          <ElOption :value="ALL" label="all branches" />
          <ElOption v-for="one in data?.branches ?? []" :key="one" :value="one" :label="one" />
        </ElSelect>
        <span v-if="actFault" class="bad" role="alert">{{ actFault }}</span>
        <template #end>
          <ElButton v-if="may.mayWrite" link @click="edit(file)">Edit</ElButton>
          <ElButton v-if="may.mayWrite" link @click="edit('')">New…</ElButton>
          <RouterLink class="link" :to="{ name: 'schedules', params: { project } }">Schedules</RouterLink>
          <RouterLink class="link" :to="{ name: 'integrations', params: { project } }">Integrations</RouterLink>
          <ElDropdown v-if="may.mayWrite && runnable.length > 0" trigger="click" @command="run">
            <ElButton :loading="isBusy">Run a stage…</ElButton>
            <template #dropdown>
              <ElDropdownMenu>
                <ElDropdownItem v-for="stage in runnable" :key="stage.name" :command="stage.name">{{
                  stage.name
                }}</ElDropdownItem>
              </ElDropdownMenu>
            </template>
          </ElDropdown>
        </template>
      </PageHead>
      <PageError
        v-if="error && !pipeline"
        title="The pipeline could not be read"
        :detail="wordsOf(error)"
        @again="refetch()"
      />
      <div v-else-if="pipeline" class="desk">
        <section>
          <div v-if="pipeline.problems.length > 0" class="faults" role="alert">
            <h2>The file has errors: no change is admitted</h2>
            <p v-for="problem in pipeline.problems" :key="`${problem.line} ${problem.column}`">
              <code>{{ file }}:{{ problem.line }}:{{ problem.column }}</code> {{ problem.message }}
            </p>
          </div>
          <PipelineTable
            v-else
            :pipeline="pipeline"
            :changes="changes"
            :project="project"
            :now="now.getTime()"
            :may-open="may.isAdministrator"
            @choose="(of) => (chosen = of)"
            @open="(change, stage) => (opened = { change, stage })"
          />
        </section>
        <PipelineAside
          :schedules="data?.schedules ?? []"
          :queue="queue?.runs ?? []"
          :commands="commands"
          :project="project"
          :now="now.getTime()"
          :may-write="may.mayWrite"
          :is-busy="isBusy"
          @run="run"
          @pause="pause"
        />
      </div>
      <p v-else class="soft wait">Loading changes…</p>
    </template>
    <ApproveDialog :asked="asked" :approve="approve" @close="opened = undefined" />
  </div>
</template>

<style scoped>
.file {
  width: 280px;
}
.branch {
  width: 170px;
}
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 286px;
  gap: 16px;
}
.faults {
  padding: 10px 12px;
  border-left: 3px solid var(--brick);
}
.link {
  color: var(--lake);
}
.bad {
  color: var(--brick);
}
.wait {
  padding: 24px 10px;
}
@media (width < 1200px) {
  .desk {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
