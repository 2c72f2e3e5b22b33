<script setup lang="ts">
// The way of a new project to its first verdict; each step is ticked off once it is done.
import { Check } from '@element-plus/icons-vue'
import { useQuery } from '@tanstack/vue-query'
import type { PlanSummary } from '@jolt-gate/core/api'
import { ElButton, ElIcon } from 'element-plus'
import { computed } from 'vue'
import { api } from '../api/client.js'

const props = defineProps<{ project: number; plans: readonly PlanSummary[]; mayWrite: boolean }>()
defineEmits<{ create: [] }>()

const first = computed(() => props.plans[0]?.file)
const { data: targets } = useQuery({
  queryKey: ['targets', () => props.project],
  queryFn: () => api.targets(props.project),
})
const { data: rehearsals } = useQuery({
  queryKey: ['rehearsals', () => props.project, first],
  queryFn: () => (first.value === undefined ? { rehearsals: [] } : api.rehearsals(props.project, first.value)),
})
const done = computed(() => ({
  target: (targets.value?.targets.length ?? 0) > 0,
  plan: props.plans.length > 0,
  rehearsal: (rehearsals.value?.rehearsals.length ?? 0) > 0 || props.plans.some(({ lastRun }) => lastRun !== null),
  run: props.plans.some(({ lastRun }) => lastRun !== null),
}))
const params = computed(() => ({ project: props.project }))
const planLink = computed(() => ({ name: 'plan', params: params.value, query: { file: first.value } }))
</script>

<template>
  <section class="steps">
    <h2>Steps to a first verdict</h2>
    <ol>
      <li :class="{ done: done.target }">
        <ElIcon v-if="done.target" role="img" aria-label="done"><Check /></ElIcon>
        <RouterLink :to="{ name: 'targets', params }">Add a target</RouterLink>: the system under test, its address and
        its secrets.
      </li>
      <li :class="{ done: done.plan }">
        <ElIcon v-if="done.plan" role="img" aria-label="done"><Check /></ElIcon>
        Write a plan: <ElButton link :disabled="!mayWrite" @click="$emit('create')">empty</ElButton>, or
        <RouterLink :to="{ name: 'import', params }">import one</RouterLink> from a recording or an API.
      </li>
      <li :class="{ done: done.rehearsal }">
        <ElIcon v-if="done.rehearsal" role="img" aria-label="done"><Check /></ElIcon>
        <RouterLink v-if="first" :to="{ name: 'rehearsal', params, query: { file: first, go: '1' } }"
          >Rehearse it</RouterLink
        >
        <template v-else>Rehearse it</template>: one user, every request and response shown.
      </li>
      <li :class="{ done: done.run }">
        <ElIcon v-if="done.run" role="img" aria-label="done"><Check /></ElIcon>
        <RouterLink v-if="first" :to="planLink">Run it</RouterLink>
        <template v-else>Run it</template>, small before large, and read the verdict.
      </li>
    </ol>
  </section>
</template>

<style scoped>
.steps {
  padding: 24px 10px;
}
ol {
  display: grid;
  gap: 10px;
  margin: 0;
  padding: 12px 0 0 22px;
  font-size: 14px;
}
.done {
  color: var(--soft);
}
.done .el-icon {
  color: var(--lake);
}
</style>
