<script setup lang="ts">
// What opens this server beside a sign-in: everybody's tokens and shared links, for administrators.
import { useQuery } from '@tanstack/vue-query'
import { ElButton, ElLoadingDirective as vLoading, ElPopconfirm, ElTable, ElTableColumn } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import { useProjects } from '../stores/projects.js'
import PeopleTabs from './PeopleTabs.vue'

const projects = useProjects()
const { data, error, isLoading, refetch } = useQuery({ queryKey: ['access'], queryFn: () => api.access() })
const tokens = computed(() => data.value?.tokens ?? [])
const shares = computed(() => data.value?.shares ?? [])
const fault = ref('')
const day = (instant: string) => instant.slice(0, 10)
const nameOf = (project: number | null) =>
  project === null ? 'all' : (projects.projects.find(({ id }) => id === project)?.name ?? `project ${String(project)}`)

async function revoke(work: () => Promise<unknown>): Promise<void> {
  fault.value = ''
  await work().catch((refusal: unknown) => (fault.value = wordsOf(refusal)))
  await refetch()
}
</script>

<template>
  <div class="padded">
    <PeopleTabs />
    <PageError v-if="error" title="Tokens and links could not be read" :detail="wordsOf(error)" @again="refetch()" />
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <section>
      <h1>Tokens</h1>
      <ElTable v-loading="isLoading" :data="tokens" size="small" empty-text="Nobody has a token">
        <ElTableColumn prop="person" label="whose" min-width="130" sortable show-overflow-tooltip />
        <ElTableColumn prop="label" label="for" min-width="160" sortable show-overflow-tooltip />
        <ElTableColumn label="may" min-width="140">
          <template #default="{ row }">{{ row.scopes.join(', ') }}</template>
        </ElTableColumn>
        <ElTableColumn label="project" min-width="120" show-overflow-tooltip>
          <template #default="{ row }">{{ nameOf(row.project) }}</template>
        </ElTableColumn>
        <ElTableColumn prop="expiresAt" label="until" width="110" sortable>
          <template #default="{ row }">{{ day(row.expiresAt) }}</template>
        </ElTableColumn>
        <ElTableColumn label="last used" width="110">
          <template #default="{ row }">{{ row.usedAt === null ? 'never' : day(row.usedAt) }}</template>
        </ElTableColumn>
        <ElTableColumn width="100" align="right">
          <template #default="{ row }">
            <ElPopconfirm
              :title="`Revoke “${row.label}” of ${row.person}? What uses it stops working.`"
              confirm-button-text="Revoke"
              cancel-button-text="Keep"
              width="260"
              @confirm="revoke(() => api.endToken(row.id))"
            >
              <template #reference>
                <ElButton size="small" text :aria-label="`Revoke ${row.label} of ${row.person}`">Revoke</ElButton>
              </template>
            </ElPopconfirm>
          </template>
        </ElTableColumn>
      </ElTable>
    </section>
    <section>
      <h2>Shared links</h2>
      <ElTable v-loading="isLoading" :data="shares" size="small" empty-text="No run is shared">
        <ElTableColumn label="run" min-width="200" show-overflow-tooltip>
          <template #default="{ row }">
            <RouterLink :to="{ name: 'run', params: { project: row.project, run: row.run } }"
              >{{ row.plan }}, run {{ row.number }}</RouterLink
            >
          </template>
        </ElTableColumn>
        <ElTableColumn label="project" min-width="120" show-overflow-tooltip>
          <template #default="{ row }">{{ nameOf(row.project) }}</template>
        </ElTableColumn>
        <ElTableColumn prop="by" label="shared by" min-width="130" sortable show-overflow-tooltip />
        <ElTableColumn prop="at" label="since" width="110" sortable>
          <template #default="{ row }">{{ day(row.at) }}</template>
        </ElTableColumn>
        <ElTableColumn prop="until" label="until" width="110" sortable>
          <template #default="{ row }">{{ day(row.until) }}</template>
        </ElTableColumn>
        <ElTableColumn width="100" align="right">
          <template #default="{ row }">
            <ElButton
              size="small"
              text
              :aria-label="`Revoke the link to run ${row.number}`"
              @click="revoke(() => api.endShare(row.id))"
              >Revoke</ElButton
            >
          </template>
        </ElTableColumn>
      </ElTable>
    </section>
  </div>
</template>

<style scoped>
section {
  padding-bottom: 26px;
}
h1,
h2 {
  padding-bottom: 8px;
}
</style>
