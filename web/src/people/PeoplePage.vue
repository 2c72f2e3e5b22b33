<script setup lang="ts">
// People and their roles, for administrators.
import {
  ElButton,
  ElDialog,
  ElForm,
  ElFormItem,
  ElInput,
  ElLoadingDirective as vLoading,
  ElOption,
  ElPopconfirm,
  ElSelect,
  ElTable,
  ElTableColumn,
} from 'element-plus'
import { useQuery } from '@tanstack/vue-query'
import { NEW_PERSON, RESET_PASSWORD, ROLES, type ListedPerson, type ProjectRole, type Role } from '@jolt-gate/core/api'
import { computed, ref, useTemplateRef } from 'vue'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import { useChecked } from '../forms/use-checked.js'
import { useSession } from '../stores/session.js'
import PeopleTabs from './PeopleTabs.vue'
import ProjectRoles from './ProjectRoles.vue'

const MAY: Record<Role, string> = {
  reader: 'reads plans, runs and reports',
  reporter: 'reports runs that pipelines make, and does nothing else',
  author: 'reads, writes plans and targets, rehearses and runs',
  administrator: 'also people, projects, secrets and approvals',
}
const session = useSession()
const { data, error, isLoading, refetch } = useQuery({ queryKey: ['people'], queryFn: () => api.people() })
const people = computed(() => data.value?.people ?? [])
const fault = ref('')
const resetting = ref<ListedPerson>()
/** Whose roles in projects are open, by number: the list is read anew after each change. */
const openRoles = ref<number>()
const person = computed(() => people.value.find(({ id }) => id === openRoles.value))
const input = useTemplateRef('input')

const changeIn = (project: number, role: ProjectRole | null) =>
  act(() => (person.value === undefined ? Promise.resolve() : api.setProjectRole(person.value.id, project, role)))

async function act(work: () => Promise<unknown>): Promise<void> {
  fault.value = ''
  try {
    await work()
  } catch (refusal) {
    fault.value = wordsOf(refusal)
  }
  await refetch()
}
const rolesWords = (others: number) =>
  others === 0 ? 'no other…' : `${String(others)} other role${others === 1 ? '' : 's'}…`
const added = useChecked(
  NEW_PERSON,
  (): { name: string; email: string; password: string; role: Role } => ({
    name: '',
    email: '',
    password: '',
    role: 'author',
  }),
  async (values) => {
    await api.addPerson(values)
    await refetch()
  },
)
const reset = useChecked(
  RESET_PASSWORD,
  () => ({ password: '' }),
  async ({ password }) => {
    if (resetting.value !== undefined) await api.resetPassword(resetting.value.id, password)
    resetting.value = undefined
  },
)
</script>

<template>
  <div class="page">
    <PeopleTabs />
    <PageError v-if="error" title="People could not be read" :detail="wordsOf(error)" @again="refetch()" />
    <div class="columns">
      <section>
        <h1>People</h1>
        <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
        <ElTable v-loading="isLoading" :data="people" size="small" empty-text="Nobody yet">
          <ElTableColumn prop="name" label="name" min-width="130" sortable show-overflow-tooltip />
          <ElTableColumn prop="email" label="email" min-width="190" sortable show-overflow-tooltip />
          <ElTableColumn label="role" width="168" sortable prop="role">
            <template #default="{ row }">
              <ElSelect
                size="small"
                :model-value="row.role"
                :aria-label="`Role of ${row.name}`"
                @update:model-value="(role: Role) => act(() => api.changeRole(row.id, role))"
              >
                <ElOption v-for="role in ROLES" :key="role" :value="role" />
              </ElSelect>
            </template>
          </ElTableColumn>
          <ElTableColumn label="in projects" width="132">
            <template #default="{ row }">
              <span v-if="row.role === 'administrator'" class="soft">administrator everywhere</span>
              <ElButton
                v-else
                class="differ"
                size="small"
                text
                :aria-label="`${rolesWords(row.projects.length)}: roles of ${row.name} in projects`"
                @click="openRoles = row.id"
                >{{ rolesWords(row.projects.length) }}</ElButton
              >
            </template>
          </ElTableColumn>
          <ElTableColumn width="220" align="right">
            <template #default="{ row }">
              <ElButton
                size="small"
                text
                :aria-label="`Reset password of ${row.name}`"
                @click="resetting = people.find(({ id }) => id === row.id)"
                >Reset password</ElButton
              >
              <ElPopconfirm
                v-if="row.id !== session.person?.id"
                :title="`Remove ${row.name}? Their tokens and sessions end.`"
                confirm-button-text="Remove"
                cancel-button-text="Keep"
                width="260"
                @confirm="act(() => api.removePerson(row.id))"
              >
                <template #reference>
                  <ElButton size="small" text :aria-label="`Remove ${row.name}`">Remove</ElButton>
                </template>
              </ElPopconfirm>
            </template>
          </ElTableColumn>
        </ElTable>
        <dl class="roles">
          <template v-for="role in ROLES" :key="role">
            <dt>{{ role }}</dt>
            <dd class="soft">{{ MAY[role] }}</dd>
          </template>
        </dl>
      </section>
      <section>
        <h2>Add a person</h2>
        <ElForm label-position="top" @submit.prevent="added.send()">
          <ElFormItem label="Name" :error="added.faults.value.name"
            ><ElInput v-model="added.values.value.name"
          /></ElFormItem>
          <ElFormItem label="Email" :error="added.faults.value.email"
            ><ElInput v-model="added.values.value.email" type="email"
          /></ElFormItem>
          <ElFormItem label="First password" :error="added.faults.value.password">
            <ElInput v-model="added.values.value.password" type="password" autocomplete="new-password" show-password />
          </ElFormItem>
          <ElFormItem label="Role" :error="added.faults.value.role">
            <ElSelect v-model="added.values.value.role" aria-label="Role">
              <ElOption v-for="role in ROLES" :key="role" :value="role" />
            </ElSelect>
          </ElFormItem>
          <p v-if="added.fault.value" class="fault" role="alert">{{ added.fault.value }}</p>
          <ElButton native-type="submit" :loading="added.isBusy.value">Add</ElButton>
        </ElForm>
      </section>
    </div>
    <ProjectRoles :person="person" @close="openRoles = undefined" @change="changeIn" />
    <ElDialog
      :model-value="resetting !== undefined"
      :title="`A new password for ${resetting?.name ?? ''}`"
      width="420"
      @update:model-value="resetting = undefined"
      @open="reset.empty()"
      @opened="input?.focus()"
    >
      <p class="soft">Their sessions and tokens end. Tell them the password in person.</p>
      <ElForm label-position="top" @submit.prevent="reset.send()">
        <ElFormItem label="New password" :error="reset.faults.value.password">
          <ElInput
            ref="input"
            v-model="reset.values.value.password"
            type="password"
            autocomplete="new-password"
            show-password
          />
        </ElFormItem>
        <p v-if="reset.fault.value" class="fault" role="alert">{{ reset.fault.value }}</p>
        <ElButton type="primary" native-type="submit" :loading="reset.isBusy.value">Reset password</ElButton>
      </ElForm>
    </ElDialog>
  </div>
</template>

<style scoped>
.page {
  padding: 14px 16px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(260px, 1fr);
  gap: 48px;
}
h1,
h2 {
  padding-bottom: 8px;
}
.differ {
  margin-left: -11px;
}
.roles {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 3px 14px;
  padding: 14px 8px;
}
.roles dd {
  margin: 0;
}
</style>
