<script setup lang="ts">
// The one dark bar: mark, project, areas, what runs now.
import JoltMark from './JoltMark.vue'
import { useQuery } from '@tanstack/vue-query'
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElOption, ElSelect } from 'element-plus'
import { computed, onMounted, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../api/client.js'
import { useProjects } from '../stores/projects.js'
import { useSession } from '../stores/session.js'
import { useChanges } from './use-changes.js'

const route = useRoute()
const router = useRouter()
const store = useProjects()
const projectId = computed(() => Number(route.params['project']) || store.projects[0]?.id)
const project = computed(() => store.projects.find((one) => one.id === projectId.value))
// The server may be away for a moment; the bar then shows what it knew.
const { data: queue } = useQuery({ queryKey: ['queue'], queryFn: () => api.queue() })
/** Runs, and searches for a capacity: those that go first. */
const loads = computed(() => {
  const { runs = [], searches = [] } = queue.value ?? {}
  const all = [
    ...runs.map(({ id: run, state }) => ({ state, to: { name: 'run', params: { project: projectId.value, run } } })),
    ...searches.map(({ id: search, projectId: project, state }) => ({
      state,
      to: { name: 'capacity', params: { project, search } },
    })),
  ]
  return all.toSorted((one, other) => Number(one.state === 'queued') - Number(other.state === 'queued'))
})
const queued = computed(() => loads.value.filter(({ state }) => state === 'queued').length)
const running = computed(() => loads.value.length - queued.value)
const first = computed(() => loads.value[0])
const areas = [
  { name: 'plans', label: 'Plans' },
  { name: 'runs', label: 'Runs' },
  { name: 'pipelines', label: 'Pipelines' },
  { name: 'targets', label: 'Targets' },
  { name: 'generators', label: 'Generators' },
]
const session = useSession()
const emit = defineEmits<{ find: []; theme: []; signOut: []; away: [isAway: boolean] }>()
const isAway = useChanges()
watch(isAway, (now) => {
  emit('away', now)
})

const ADD = 'add'
function goTo(id: number | typeof ADD): void {
  void router.push(id === ADD ? { name: 'home', query: { add: 'yes' } } : { name: 'plans', params: { project: id } })
}
/** What the menu of the person does: pages by their names, and two acts. */
function choose(command: 'account' | 'people' | 'audit-log' | 'theme' | 'sign out'): void {
  if (command === 'theme') emit('theme')
  else if (command === 'sign out') emit('signOut')
  else void router.push({ name: command })
}

onMounted(() => {
  store.load().catch(() => undefined)
})
</script>

<template>
  <header class="bar">
    <RouterLink class="mark" to="/">
      <JoltMark />
      Jolt Gate
    </RouterLink>
    <ElSelect
      v-if="project"
      class="project"
      aria-label="Project"
      :model-value="project.id"
      :fit-input-width="false"
      @update:model-value="goTo"
    >
      <ElOption v-for="one in store.projects" :key="one.id" :value="one.id" :label="one.name" />
      <ElOption v-if="session.isAdministrator" :value="ADD" label="Add a project…" />
    </ElSelect>
    <nav v-if="projectId" class="areas" aria-label="Areas">
      <RouterLink
        v-for="area in areas"
        :key="area.name"
        class="area"
        :class="{ here: route.meta['area'] === area.name }"
        :aria-current="route.meta['area'] === area.name ? 'page' : undefined"
        :to="{ name: area.name, params: { project: projectId } }"
        >{{ area.label }}</RouterLink
      >
    </nav>
    <RouterLink v-if="first && projectId" class="going" :to="first.to">
      {{ running }} running<template v-if="queued > 0">, {{ queued }} queued</template>
    </RouterLink>
    <ElButton class="find" @click="$emit('find')">Find or do <kbd>Ctrl K</kbd></ElButton>
    <ElDropdown class="person" trigger="click" @command="choose">
      <ElButton class="who" text>{{ session.person?.name }}</ElButton>
      <template #dropdown>
        <ElDropdownMenu>
          <ElDropdownItem command="account">Your account</ElDropdownItem>
          <template v-if="session.isAdministrator">
            <ElDropdownItem command="people">People</ElDropdownItem>
            <ElDropdownItem command="audit-log">Audit log</ElDropdownItem>
          </template>
          <ElDropdownItem command="theme" divided>Light or dark</ElDropdownItem>
          <ElDropdownItem command="sign out">Sign out</ElDropdownItem>
        </ElDropdownMenu>
      </template>
    </ElDropdown>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  flex: none;
  align-items: center;
  height: 44px;
  padding: 0 14px;
  background: var(--bar);
  color: var(--bar-text);
}
.mark {
  display: flex;
  gap: 10px;
  align-items: center;
  padding-right: 18px;
  color: #fff;
  font-size: 15.5px;
  font-weight: 650;
  text-decoration: none;
}
.project {
  width: 200px;
  flex: none;
}
.project :deep(.el-select__wrapper) {
  min-height: 44px;
  border-radius: 0;
  background: var(--bar);
  box-shadow:
    1px 0 #3b4850,
    -1px 0 #3b4850;
}
.project :deep(.el-select__wrapper:focus-within) {
  outline: 2px solid #e0a53a;
  outline-offset: -2px;
}
.project :deep(.el-select__selected-item) {
  color: var(--bar-text);
}
.areas {
  display: flex;
  align-items: flex-end;
  align-self: stretch;
  padding-left: 8px;
}
.area {
  padding: 0 16px;
  color: #c7c8c2;
  line-height: 38px;
  text-decoration: none;
}
.area:hover {
  color: #fff;
}
.here {
  border-radius: 3px 3px 0 0;
  background: var(--paper);
  color: var(--ink) !important;
  font-weight: 650;
}
.going {
  margin-left: auto;
  margin-right: 10px;
  padding: 3px 10px;
  border: 1px solid #6d777c;
  border-radius: 3px;
  color: #fff;
  text-decoration: none;
}
.find,
.who {
  --el-button-bg-color: transparent;
  --el-button-text-color: #c7c8c2;
  --el-button-border-color: #55626a;
  --el-button-hover-bg-color: #2b363d;
  --el-button-hover-text-color: #fff;
  --el-button-hover-border-color: #8b969c;
  --el-fill-color-light: #2b363d;
  --el-fill-color: #2b363d;
}
.who {
  --el-button-text-color: var(--bar-text);
}
.find {
  margin-left: auto;
}
.going + .find {
  margin-left: 0;
}
.find kbd {
  margin-left: 14px;
  font: 11.5px var(--mono);
}
.person {
  margin-left: 8px;
}
</style>
