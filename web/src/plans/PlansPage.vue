<script setup lang="ts">
// The plans of a project: what each would send, and how its last run ended.
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import { ElButton, ElInput, ElPopover, ElTable, ElTableColumn } from 'element-plus'
import type { PlanSummary } from '@jolt-gate/core/api'
import { useMay } from '../stores/may.js'
import { useSession } from '../stores/session.js'
import BranchMenu from '../plan/BranchMenu.vue'
import FirstSteps from './FirstSteps.vue'
import NewPlan from './NewPlan.vue'
import RemotePanel from './RemotePanel.vue'
import RunSpark from '../runs/RunSpark.vue'
import VerdictSign from '../verdict/VerdictSign.vue'
import { counted, ago, grouped, lengthOf } from '../text/figures.js'
import { runWords } from '../text/run-words.js'

const route = useRoute()
const router = useRouter()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const session = useSession()
const {
  data: state,
  isLoading,
  error,
  refetch,
} = useQuery({
  queryKey: ['plans', project],
  queryFn: () => api.plans(project.value),
})
const isNewOpen = ref(route.query['new'] === 'yes')
watch(
  () => route.query['new'],
  (asked) => {
    if (asked === 'yes') isNewOpen.value = true
  },
)

const clone = computed(() => `git clone ${window.location.origin}/git/${String(project.value)}.git`)
const linkTo = (file: string) => ({ name: 'plan', params: { project: project.value }, query: { file } })
</script>

<template>
  <div class="padded">
    <PageHead title="Plans">
      <span v-if="state" class="soft">
        <BranchMenu :project="project" :branch="state.branch" :may-write="may.mayWrite" />
        <template v-if="state.commit"> · {{ state.commit.slice(0, 7) }}</template>
        <template v-if="state.dirty"> · not committed yet</template>
      </span>
      <ElPopover v-if="may.mayWrite" trigger="click" placement="bottom-start" :width="420">
        <template #reference><ElButton link>Clone…</ElButton></template>
        <p>With Git, over HTTP; a personal token with the scope <code>git</code> is the password:</p>
        <ElInput class="mono clone" readonly aria-label="Clone command" :model-value="clone" />
        <RouterLink :to="{ name: 'account' }">Create a token</RouterLink>
      </ElPopover>
      <RouterLink :to="{ name: 'merges', params: { project } }">Merges</RouterLink>
      <RemotePanel
        v-if="state && may.mayWrite"
        :project="project"
        :branch="state.branch"
        :is-administrator="session.isAdministrator"
      />
      <template v-if="may.mayWrite" #end>
        <ElButton @click="router.push({ name: 'import', params: { project } })">Import…</ElButton>
        <ElButton type="primary" @click="isNewOpen = true">New plan…</ElButton>
      </template>
    </PageHead>
    <PageError v-if="error && !state" title="The plans could not be read" :detail="wordsOf(error)" @again="refetch()" />
    <p v-else-if="isLoading && !state" class="wait soft">Loading plans…</p>
    <ElTable
      v-else-if="state && state.plans.length > 0"
      class="list"
      :data="state.plans"
      row-key="file"
      @row-click="(plan: PlanSummary) => router.push(linkTo(plan.file))"
    >
      <ElTableColumn label="plan" min-width="320">
        <template #default="{ row }">
          <span class="name">
            <RouterLink :to="linkTo(row.file)" @click.stop>{{ row.name }}</RouterLink>
            <span class="about soft">{{ row.about }}</span>
            <code class="soft">{{ row.file }}</code>
          </span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="load" width="200">
        <template #default="{ row }"><RunSpark v-if="row.preview" :preview="row.preview" /></template>
      </ElTableColumn>
      <ElTableColumn label="length" width="90" align="right">
        <template #default="{ row }">{{ row.preview ? lengthOf(row.preview.seconds) : '' }}</template>
      </ElTableColumn>
      <ElTableColumn label="arrivals" width="90" align="right">
        <template #default="{ row }">
          <template v-if="row.preview">{{ grouped(row.preview.arrivals) }}</template>
          <span v-else class="errors">{{ counted(row.errors, 'error') }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn prop="gates" label="gates" width="70" align="right" />
      <ElTableColumn label="last run" width="230">
        <template #default="{ row }">
          <RouterLink
            v-if="row.lastRun"
            class="last"
            :to="{ name: 'run', params: { project, run: row.lastRun.id } }"
            @click.stop
          >
            <VerdictSign :verdict="row.lastRun.verdict ?? 'going'" />
            {{ runWords(row.lastRun) }}
            <span class="soft">{{ ago(row.lastRun.askedAt, now.getTime()) }}</span>
          </RouterLink>
          <span v-else class="soft">never</span>
        </template>
      </ElTableColumn>
    </ElTable>
    <FirstSteps
      v-if="state && state.plans.every(({ lastRun }) => lastRun === null)"
      :project="project"
      :plans="state.plans"
      :may-write="may.mayWrite"
      @create="isNewOpen = true"
    />
    <NewPlan v-model="isNewOpen" :project="project" />
  </div>
</template>

<style scoped>
.clone {
  margin: 8px 0;
}
.list {
  cursor: pointer;
}
.name {
  display: grid;
}
.name a {
  font-size: 14px;
  font-weight: 600;
  text-decoration: none;
}
.name a:hover {
  text-decoration: underline;
}
.last {
  display: flex;
  gap: 8px;
  align-items: center;
  text-decoration: none;
}
.errors {
  color: var(--brick);
}
.wait {
  padding: 24px 10px;
}
</style>
