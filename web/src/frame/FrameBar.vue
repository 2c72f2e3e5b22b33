<script setup lang="ts">
// The one dark bar: mark, project, areas, what runs now.
import { useQuery } from '@tanstack/vue-query'
import { computed, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../api/client.js'
import { useProjects } from '../stores/projects.js'
import { useSession } from '../stores/session.js'

const REFETCH_MS = 2000
const route = useRoute()
const router = useRouter()
const store = useProjects()
const projectId = computed(() => Number(route.params['project']) || store.projects[0]?.id)
const project = computed(() => store.projects.find((one) => one.id === projectId.value))
// The server may be away for a moment; the bar then shows what it knew.
const { data: queue } = useQuery({ queryKey: ['queue'], queryFn: () => api.queue(), refetchInterval: REFETCH_MS })
const queued = computed(() => queue.value?.runs.filter(({ state }) => state === 'waiting').length ?? 0)
const running = computed(() => (queue.value?.runs.length ?? 0) - queued.value)
const first = computed(() => queue.value?.runs[0])
const areas = [
  { name: 'plans', label: 'Plans' },
  { name: 'runs', label: 'Runs' },
  { name: 'targets', label: 'Targets' },
]
const session = useSession()
defineEmits<{ find: []; theme: []; signOut: [] }>()
const isMenuOpen = ref(false)
/** Another project is chosen by its name, where there is more than one. */
function goTo(event: Event): void {
  if (!(event.target instanceof HTMLSelectElement)) return
  const id = event.target.value
  void router.push(id === 'add' ? { name: 'home', query: { add: 'yes' } } : { name: 'plans', params: { project: id } })
}

onMounted(() => {
  store.load().catch(() => undefined)
})
</script>

<template>
  <header class="bar">
    <RouterLink class="mark" to="/">
      <svg viewBox="0 0 26 26" aria-hidden="true">
        <path class="post" d="M4 24V13h5v9h3v2z" />
        <path class="arm" d="M7 14 22 4" />
      </svg>
      Jolt Gate
    </RouterLink>
    <select v-if="project" class="project" aria-label="Project" :value="project.id" @change="goTo">
      <option v-for="one in store.projects" :key="one.id" :value="one.id">{{ one.name }}</option>
      <option v-if="session.isAdministrator" value="add">add a project …</option>
    </select>
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
    <RouterLink
      v-if="first && projectId"
      class="going"
      :to="{ name: 'run', params: { project: projectId, run: first.id } }"
    >
      {{ running }} running<template v-if="queued > 0">, {{ queued }} queued</template>
    </RouterLink>
    <button type="button" class="find" @click="$emit('find')">Find or do <kbd>Ctrl K</kbd></button>
    <div class="person">
      <button type="button" class="who" :aria-expanded="isMenuOpen" @click="isMenuOpen = !isMenuOpen">
        {{ session.person?.name }}
      </button>
      <div v-if="isMenuOpen" class="menu" @click="isMenuOpen = false" @keydown.esc="isMenuOpen = false">
        <RouterLink :to="{ name: 'account' }">Your account</RouterLink>
        <template v-if="session.isAdministrator">
          <RouterLink :to="{ name: 'people' }">People</RouterLink>
          <RouterLink :to="{ name: 'audit-log' }">Audit log</RouterLink>
        </template>
        <button type="button" @click="$emit('theme')">Light or dark</button>
        <button type="button" @click="$emit('signOut')">Sign out</button>
      </div>
    </div>
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
.mark svg {
  width: 26px;
  height: 26px;
}
.post {
  fill: #fff;
}
.arm {
  stroke: #e0a53a;
  stroke-width: 3.6;
}
.project {
  align-self: stretch;
  max-width: 220px;
  padding: 0 12px;
  background: var(--bar);
  color: inherit;
  font: inherit;
  cursor: pointer;
  border: solid #3b4850;
  border-width: 0 1px;
  border-style: solid;
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
.find {
  padding: 4px 10px;
  border: 1px solid #55626a;
  border-radius: 3px;
  background: none;
  color: #c7c8c2;
  font: inherit;
  cursor: pointer;
}
.find:first-of-type {
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
  position: relative;
  margin-left: 12px;
}
.who {
  padding: 4px 6px;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}
.menu {
  position: absolute;
  z-index: 20;
  top: 36px;
  right: 0;
  display: grid;
  min-width: 190px;
  border: 1px solid var(--rule);
  background: var(--white);
  color: var(--ink);
}
.menu > * {
  padding: 8px 12px;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  text-decoration: none;
  cursor: pointer;
}
.menu > *:hover {
  background: var(--lake-light);
}
</style>
