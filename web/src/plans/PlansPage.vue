<script setup lang="ts">
// The plans of a project: what each would send, and how its last run ended.
import { useAsyncState, useNow } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import { ElButton } from 'element-plus'
import { useMay } from '../stores/may.js'
import NewPlan from './NewPlan.vue'
import RunSpark from '../runs/RunSpark.vue'
import VerdictSign from '../signs/VerdictSign.vue'
import { ago, grouped, lengthOf } from '../text/figures.js'
import { runWords } from '../text/run-words.js'

const route = useRoute()
const router = useRouter()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const { state, isLoading, error, execute } = useAsyncState(() => api.plans(project.value), undefined, {
  resetOnExecute: false,
})
const isNewOpen = ref(route.query['new'] === 'yes')
watch(project, () => void execute())
watch(
  () => route.query['new'],
  (asked) => {
    if (asked === 'yes') isNewOpen.value = true
  },
)

const linkTo = (file: string) => ({ name: 'plan', params: { project: project.value }, query: { file } })
</script>

<template>
  <div class="plans">
    <div class="head">
      <h1>Plans</h1>
      <span v-if="state" class="soft">
        branch <b>{{ state.branch ?? 'none' }}</b>
        <template v-if="state.commit"> · {{ state.commit.slice(0, 7) }}</template>
        <template v-if="state.dirty"> · not committed yet</template>
      </span>
      <span v-if="may.mayWrite" class="make">
        <RouterLink class="button" :to="{ name: 'import', params: { project } }">Import…</RouterLink>
        <ElButton type="primary" @click="isNewOpen = true">New plan…</ElButton>
      </span>
    </div>
    <PageError v-if="error" title="The plans could not be read" :detail="wordsOf(error)" @again="execute()" />
    <p v-else-if="isLoading && !state" class="wait soft">Loading plans…</p>
    <div v-else-if="state && state.plans.length === 0" class="empty">
      <h2>Steps to a first verdict</h2>
      <ol class="way">
        <li>
          <RouterLink :to="{ name: 'targets', params: { project } }">Say what is under test</RouterLink>: a target,
          where it answers and what it keeps secret.
        </li>
        <li>
          Write a plan: <button type="button" class="link" @click="isNewOpen = true">from nothing</button>, or
          <RouterLink :to="{ name: 'import', params: { project } }">from what exists</RouterLink>: a recording, a
          description, a URL.
        </li>
        <li>Rehearse it: one user, every request and response shown.</li>
        <li>Run it, small before large, and read the verdict.</li>
      </ol>
    </div>
    <table v-else-if="state" class="table picked">
      <thead>
        <tr>
          <th>plan</th>
          <th>load</th>
          <th class="figure">length</th>
          <th class="figure">arrivals</th>
          <th class="figure">gates</th>
          <th>last run</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="plan in state.plans" :key="plan.file" @click="router.push(linkTo(plan.file))">
          <td class="name">
            <RouterLink :to="linkTo(plan.file)" @click.stop>{{ plan.name }}</RouterLink>
            <div class="about soft">{{ plan.about }}</div>
            <code class="soft">{{ plan.file }}</code>
          </td>
          <td><RunSpark v-if="plan.preview" :preview="plan.preview" /></td>
          <template v-if="plan.preview">
            <td class="figure">{{ lengthOf(plan.preview.seconds) }}</td>
            <td class="figure">{{ grouped(plan.preview.arrivals) }}</td>
          </template>
          <td v-else colspan="2" class="errors">{{ plan.errors }} {{ plan.errors === 1 ? 'error' : 'errors' }}</td>
          <td class="figure">{{ plan.gates }}</td>
          <td>
            <RouterLink
              v-if="plan.lastRun"
              class="last"
              :to="{ name: 'run', params: { project, run: plan.lastRun.id } }"
              @click.stop
            >
              <VerdictSign :verdict="plan.lastRun.verdict ?? 'going'" />
              {{ runWords(plan.lastRun) }}
              <span class="soft">{{ ago(plan.lastRun.askedAt, now.getTime()) }}</span>
            </RouterLink>
            <span v-else class="soft">never</span>
          </td>
        </tr>
      </tbody>
    </table>
    <NewPlan v-model="isNewOpen" :project="project" />
  </div>
</template>

<style scoped>
.plans {
  padding: 14px 16px;
}
.head {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding-bottom: 12px;
}
.name a {
  font-size: 14px;
  font-weight: 600;
  text-decoration: none;
}
.name a:hover {
  text-decoration: underline;
}
.last {
  display: flex;
  gap: 8px;
  align-items: center;
  text-decoration: none;
}
.errors {
  color: var(--brick);
  text-align: right;
}
.empty,
.wait {
  padding: 24px 10px;
}
.make {
  display: flex;
  gap: 14px;
  align-items: baseline;
  margin-left: auto;
}
.way {
  display: grid;
  gap: 10px;
  padding: 12px 0 0 20px;
  font-size: 14px;
}
</style>
