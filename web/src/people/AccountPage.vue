<script setup lang="ts">
// Your account: your password and your tokens.
import {
  ElAlert,
  ElButton,
  ElCheckbox,
  ElCheckboxGroup,
  ElDatePicker,
  ElForm,
  ElFormItem,
  ElInput,
  ElLoadingDirective as vLoading,
  ElOption,
  ElSelect,
  ElTable,
  ElTableColumn,
  ElTooltip,
} from 'element-plus'
import { useQuery } from '@tanstack/vue-query'
import { CHANGED_PASSWORD, NEW_TOKEN, type Scope } from '@jolt-gate/core/api'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import { useChecked } from '../forms/use-checked.js'
import { useProjects } from '../stores/projects.js'
import { useSession } from '../stores/session.js'
import PeopleTabs from './PeopleTabs.vue'
import SigningKeys from './SigningKeys.vue'

const SCOPES = [
  ['read', 'read plans, runs and reports'],
  ['write', 'change plans and targets'],
  ['run', 'rehearse and run'],
  ['report', 'report runs that a pipeline makes'],
  ['git', 'clone, pull and push with Git'],
  ['admin', 'what administrators may: people, projects, secrets, approvals'],
] as const satisfies readonly (readonly [Scope, string])[]
const DAY_MS = 86_400_000
const MOST_DAYS = 366

const session = useSession()
const { data, error, isLoading, refetch } = useQuery({ queryKey: ['tokens'], queryFn: () => api.tokens() })
const projects = useProjects()
const nameOf = (project: number | null) =>
  project === null ? 'all' : (projects.projects.find(({ id }) => id === project)?.name ?? `project ${String(project)}`)
const tokens = computed(() => data.value?.tokens ?? [])
const shown = ref('')
const wasChanged = ref(false)
const day = (instant: string) => instant.slice(0, 10)
const inDays = (days: number) => new Date(Date.now() + days * DAY_MS).toISOString().slice(0, 10)
const isOutside = (date: Date) => date.getTime() < Date.now() || date.getTime() > Date.now() + MOST_DAYS * DAY_MS

const token = useChecked(
  NEW_TOKEN,
  () => ({ label: '', scopes: ['read'] as Scope[], until: inDays(90), project: 0 }),
  async (values) => {
    shown.value = (await api.createToken(values)).token
    await refetch()
  },
)
const password = useChecked(
  CHANGED_PASSWORD,
  () => ({ current: '', password: '', endsTokens: false }),
  async (values) => {
    wasChanged.value = false
    await api.changePassword(values)
    wasChanged.value = true
    await refetch()
  },
)
async function revoke(id: number): Promise<void> {
  await api.revokeToken(id)
  await refetch()
}
</script>

<template>
  <div class="page">
    <PeopleTabs />
    <h1>{{ session.person?.name }}</h1>
    <p class="soft">{{ session.person?.email }}, {{ session.person?.role }}</p>
    <div class="columns">
      <section>
        <h2>Tokens</h2>
        <p class="soft">
          For pipelines and for Git. A token is the password of <code>git clone</code>; the name before it does not
          matter.
        </p>
        <PageError v-if="error" title="Tokens could not be read" :detail="wordsOf(error)" @again="refetch()" />
        <div v-if="shown" class="shown" role="status">
          Shown once: copy it now.<code>{{ shown }}</code>
          <div><ElButton size="small" @click="shown = ''">Done</ElButton></div>
        </div>
        <ElTable v-loading="isLoading" :data="tokens" size="small" empty-text="No tokens yet">
          <ElTableColumn prop="label" label="for" min-width="140" show-overflow-tooltip />
          <ElTableColumn label="may" min-width="130">
            <template #default="{ row }">{{ row.scopes.join(', ') }}</template>
          </ElTableColumn>
          <ElTableColumn label="project" min-width="100" show-overflow-tooltip>
            <template #default="{ row }">{{ nameOf(row.project) }}</template>
          </ElTableColumn>
          <ElTableColumn label="until" width="104">
            <template #default="{ row }">{{ day(row.expiresAt) }}</template>
          </ElTableColumn>
          <ElTableColumn label="last used" width="104">
            <template #default="{ row }">{{ row.usedAt === null ? 'never' : day(row.usedAt) }}</template>
          </ElTableColumn>
          <ElTableColumn width="90" align="right">
            <template #default="{ row }">
              <ElButton size="small" text :aria-label="`Revoke ${row.label}`" @click="revoke(row.id)">Revoke</ElButton>
            </template>
          </ElTableColumn>
        </ElTable>
        <h3>New token</h3>
        <ElForm label-position="top" @submit.prevent="token.send()">
          <div class="two">
            <ElFormItem label="What it is for" :error="token.faults.value.label">
              <ElInput v-model="token.values.value.label" placeholder="pipeline of the booking service" />
            </ElFormItem>
            <ElFormItem label="Last day" :error="token.faults.value.until">
              <ElDatePicker
                v-model="token.values.value.until"
                value-format="YYYY-MM-DD"
                :clearable="false"
                :disabled-date="isOutside"
              />
            </ElFormItem>
          </div>
          <ElFormItem label="What it may do" :error="token.faults.value.scopes">
            <ElCheckboxGroup v-model="token.values.value.scopes">
              <ElTooltip v-for="[scope, words] in SCOPES" :key="scope" :content="words">
                <ElCheckbox :value="scope">{{ scope }}</ElCheckbox>
              </ElTooltip>
            </ElCheckboxGroup>
          </ElFormItem>
          <ElFormItem label="In which project" :error="token.faults.value.project">
            <ElSelect v-model="token.values.value.project" aria-label="In which project">
              <ElOption :value="0" label="all that you see" />
              <ElOption v-for="one in projects.projects" :key="one.id" :value="one.id" :label="`${one.name} alone`" />
            </ElSelect>
          </ElFormItem>
          <p v-if="token.fault.value" class="fault" role="alert">{{ token.fault.value }}</p>
          <ElButton native-type="submit" :loading="token.isBusy.value">Create token</ElButton>
        </ElForm>
      </section>
      <section>
        <h2>Password</h2>
        <p class="soft">Your other sessions end when it changes.</p>
        <ElAlert v-if="wasChanged" type="success" :closable="false" title="The password was changed" />
        <ElForm label-position="top" @submit.prevent="password.send()">
          <ElFormItem label="Present password" :error="password.faults.value.current">
            <ElInput v-model="password.values.value.current" type="password" autocomplete="current-password" />
          </ElFormItem>
          <ElFormItem label="New password" :error="password.faults.value.password">
            <ElInput
              v-model="password.values.value.password"
              type="password"
              autocomplete="new-password"
              show-password
            />
          </ElFormItem>
          <ElCheckbox v-model="password.values.value.endsTokens">End all of my tokens, too</ElCheckbox>
          <p v-if="password.fault.value" class="fault" role="alert">{{ password.fault.value }}</p>
          <ElButton native-type="submit" :loading="password.isBusy.value">Change password</ElButton>
        </ElForm>
        <SigningKeys />
      </section>
    </div>
  </div>
</template>

<style scoped>
.page {
  padding: 14px 16px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(280px, 1fr);
  gap: 48px;
  padding-top: 18px;
}
section > p {
  padding: 4px 0 10px;
}
h3 {
  padding: 22px 0 8px;
  font-size: 13px;
  font-weight: 650;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 180px;
  gap: 18px;
}
.shown {
  display: grid;
  gap: 6px;
  margin: 8px 0;
  padding: 10px 12px;
  border-left: 4px solid var(--ochre);
  background: var(--ochre-light);
  color: var(--ink);
}
</style>
