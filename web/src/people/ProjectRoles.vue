<script setup lang="ts">
// The roles of one person, project by project.
import { ElDialog, ElOption, ElSelect, ElTable, ElTableColumn } from 'element-plus'
import { PROJECT_ROLES, type ListedPerson, type ProjectRole } from '@jolt-gate/core/api'
import { useProjects } from '../stores/projects.js'

const props = defineProps<{ person: ListedPerson | undefined }>()
const emit = defineEmits<{ close: []; change: [project: number, role: ProjectRole | null] }>()
const store = useProjects()

const AS_ELSEWHERE = 'as elsewhere'
const WORDS: Record<ProjectRole, string> = {
  none: 'none: does not see it',
  reader: 'reader',
  reporter: 'reporter of runs',
  author: 'author',
  administrator: 'administrator of it',
}
const roleIn = (project: number) => props.person?.projects.find((one) => one.project === project)?.role ?? AS_ELSEWHERE
const choose = (project: number, role: ProjectRole | typeof AS_ELSEWHERE) => {
  emit('change', project, role === AS_ELSEWHERE ? null : role)
}
</script>

<template>
  <ElDialog
    :model-value="person !== undefined"
    :title="`Roles of ${person?.name ?? ''}`"
    width="520"
    @update:model-value="emit('close')"
  >
    <p class="soft">{{ person?.name }} is {{ person?.role }} in every project that gives no other role here.</p>
    <ElTable :data="store.projects" size="small" max-height="320">
      <ElTableColumn prop="name" label="project" min-width="180" show-overflow-tooltip />
      <ElTableColumn label="role" width="220">
        <template #default="{ row }">
          <ElSelect
            size="small"
            :model-value="roleIn(row.id)"
            :aria-label="`Role in ${row.name}`"
            @update:model-value="(role: ProjectRole | typeof AS_ELSEWHERE) => choose(row.id, role)"
          >
            <ElOption :value="AS_ELSEWHERE" :label="`default: ${person?.role ?? ''}`" />
            <ElOption v-for="role in PROJECT_ROLES" :key="role" :value="role" :label="WORDS[role]" />
          </ElSelect>
        </template>
      </ElTableColumn>
    </ElTable>
  </ElDialog>
</template>
