<script setup lang="ts">
// The one dark bar: mark, project, areas, what runs now.
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted } from 'vue'
import { useRoute } from 'vue-router'
import { useProjects } from '../stores/projects.js'

const POLL_MS = 2000
const route = useRoute()
const store = useProjects()
const projectId = computed(() => Number(route.params['project']) || store.projects[0]?.id)
const project = computed(() => store.projects.find((one) => one.id === projectId.value))
const going = computed(() => store.line.length)
const first = computed(() => store.line[0])
const areas = [
  { name: 'plans', label: 'Plans' },
  { name: 'runs', label: 'Runs' },
]

// The server may be away for a moment; the bar then shows what it knew.
const refresh = () => store.loadLine().catch(() => undefined)
useIntervalFn(refresh, POLL_MS)
onMounted(() => {
  store.load().catch(() => undefined)
  void refresh()
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
    <span v-if="project" class="project">{{ project.name }}</span>
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
      {{ going }} {{ going === 1 ? 'run' : 'runs' }} going
    </RouterLink>
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
  padding: 0 16px;
  border: solid #3b4850;
  border-width: 0 1px;
  line-height: 44px;
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
  padding: 3px 10px;
  border: 1px solid #6d777c;
  border-radius: 3px;
  color: #fff;
  text-decoration: none;
}
</style>
