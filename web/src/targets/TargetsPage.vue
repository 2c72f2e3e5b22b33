<script setup lang="ts">
// The systems under test: where they answer, what is secret, what can be read from them, and who permits the load.
import { useQuery } from '@tanstack/vue-query'
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { TargetLine } from '@jolt-gate/core/api'
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
const {
  data: state,
  error,
  refetch,
} = useQuery({ queryKey: ['targets', project], queryFn: () => api.targets(project.value) })
const isNew = computed(() => route.query['new'] !== undefined)
const detail = ref<InstanceType<typeof TargetText>>()
const targets = computed(() => state.value?.targets ?? [])
const chosen = computed(() =>
  isNew.value ? undefined : (targets.value.find(({ name }) => name === route.query['target']) ?? targets.value[0]),
)
/** Of one beyond loopback: whether its load is permitted, and until when. */
function stateOf({ isLoopback, fault, target }: TargetLine): string {
  if (isLoopback || target === null) return ''
  if (target.permission === undefined) return 'no permission yet'
  return fault === null ? `permitted until ${target.permission.until}` : 'not permitted now'
}
function choose(name: string): void {
  void router.replace({ query: name === '' ? {} : { target: name } })
}
async function saved(name: string): Promise<void> {
  await refetch()
  choose(name)
}
</script>

<template>
  <PageError v-if="error && !state" title="The targets could not be read" :detail="wordsOf(error)" @again="refetch()" />
  <div v-else class="targets">
    <nav class="list" aria-label="Targets">
      <h1>Targets</h1>
      <ElButton
        v-for="one in targets"
        :key="one.name"
        text
        class="target"
        :class="{ here: chosen?.name === one.name }"
        @click="choose(one.name)"
      >
        <b>{{ one.name }}</b>
        <span class="soft">{{ one.target?.origin ?? 'not valid' }}</span>
        <span v-if="stateOf(one)" :class="one.fault ? 'warn' : 'soft'">{{ stateOf(one) }}</span>
      </ElButton>
      <p v-if="state && targets.length === 0" class="soft none">No targets yet. A target is the system under test.</p>
      <ElButton v-if="may.mayWrite" @click="router.push({ query: { new: '' } })">New target…</ElButton>
    </nav>
    <div v-if="state" class="detail">
      <TargetText :key="chosen?.name ?? ''" ref="detail" :project="project" :target="chosen" @saved="saved" />
    </div>
    <p v-else class="soft detail">Loading targets…</p>
    <aside v-if="chosen?.target" class="side">
      <TargetSecrets :project="project" :target="chosen" @changed="refetch()" />
      <TargetControl :key="chosen.base" :project="project" :target="chosen" />
      <TargetMetrics
        :key="chosen.name"
        :project="project"
        :target="chosen"
        :may-add="may.mayWrite"
        @add="(family, url) => detail?.addMetric(family, url)"
      />
    </aside>
  </div>
</template>

<style scoped>
.targets {
  display: grid;
  grid-template-columns: 250px minmax(0, 1fr) 400px;
  min-height: 100%;
}
@media (width < 1180px) {
  .targets {
    grid-template-columns: 190px minmax(0, 1fr) 300px;
  }
}
.list {
  display: flex;
  flex-direction: column;
  gap: 6px;
  align-items: flex-start;
  padding: 14px 16px;
}
.target {
  justify-content: start;
  width: 100%;
  height: auto;
  margin: 0;
  padding: 8px 10px;
  border-left: 3px solid transparent;
  border-radius: 0;
  color: var(--ink);
  font-weight: 400;
}
.target :deep(> span) {
  display: grid;
  gap: 3px;
  line-height: 1.3;
  text-align: left;
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
.list > .el-button {
  margin-left: 0;
}
.none {
  padding: 8px 0;
}
</style>
