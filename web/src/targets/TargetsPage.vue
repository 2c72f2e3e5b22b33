<script setup lang="ts">
// The systems under test: where they answer, what is secret, what can be read from them, and who permits the load.
import { useAsyncState } from '@vueuse/core'
import { ElButton } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import { useMay } from '../stores/may.js'
import TargetControl from './TargetControl.vue'
import TargetMetrics from './TargetMetrics.vue'
import TargetSecrets from './TargetSecrets.vue'
import TargetText from './TargetText.vue'

const route = useRoute()
const router = useRouter()
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const { state, error, execute } = useAsyncState(() => api.targets(project.value), undefined, { resetOnExecute: false })
watch(project, () => void execute())
const isNew = ref(false)
const targets = computed(() => state.value?.targets ?? [])
const chosen = computed(() =>
  isNew.value ? undefined : (targets.value.find(({ name }) => name === route.query['target']) ?? targets.value[0]),
)
function choose(name: string): void {
  isNew.value = false
  void router.replace({ query: { target: name } })
}
async function saved(name: string): Promise<void> {
  await execute()
  choose(name)
}
</script>

<template>
  <PageError v-if="error" title="The targets could not be read" :detail="wordsOf(error)" @again="execute()" />
  <div v-else class="targets">
    <nav class="list" aria-label="Targets">
      <h1>Targets</h1>
      <button
        v-for="one in targets"
        :key="one.name"
        type="button"
        class="target"
        :class="{ here: chosen?.name === one.name }"
        @click="choose(one.name)"
      >
        <b>{{ one.name }}</b>
        <span class="soft">{{ one.target?.origin ?? 'not valid' }}</span>
        <span v-if="one.fault" class="warn">{{ one.isLoopback ? '' : 'not permitted yet' }}</span>
      </button>
      <p v-if="state && targets.length === 0" class="soft none">No targets yet. A target is the system under test.</p>
      <ElButton v-if="may.mayWrite" @click="isNew = true">New target…</ElButton>
    </nav>
    <div v-if="state" class="detail">
      <TargetText :key="chosen?.name ?? ''" :project="project" :target="chosen" @saved="saved" />
    </div>
    <p v-else class="soft detail">Loading targets…</p>
    <aside v-if="chosen?.target" class="side">
      <TargetSecrets :project="project" :target="chosen" @changed="execute()" />
      <TargetControl :key="chosen.base" :project="project" :target="chosen" />
      <TargetMetrics :key="chosen.name" :project="project" :target="chosen" />
    </aside>
  </div>
</template>

<style scoped>
.targets {
  display: grid;
  grid-template-columns: 250px minmax(0, 1fr) 400px;
  min-height: 100%;
}
.list {
  display: flex;
  flex-direction: column;
  gap: 6px;
  align-items: flex-start;
  padding: 14px 16px;
}
.target {
  display: grid;
  width: 100%;
  padding: 8px 10px;
  border: 0;
  border-left: 3px solid transparent;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.target:hover {
  background: var(--sheet);
}
.here {
  border-left-color: var(--lake);
  background: var(--lake-light) !important;
}
.warn {
  color: var(--ochre-text);
  font-size: 12px;
}
.detail {
  padding: 14px 16px;
  border: solid var(--rule);
  border-width: 0 1px;
  background: var(--sheet);
}
.side {
  padding: 0 16px 16px;
}
.none {
  padding: 8px 0;
}
</style>
