<script setup lang="ts">
// The runs of a project, newest first, each with a small picture of its load and response time.
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { formatMs } from '@jolt-gate/core'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import VerdictSign from '../signs/VerdictSign.vue'
import { ago, grouped, lengthOf, percent } from '../text/figures.js'
import RunSpark from './RunSpark.vue'
import { runWords } from '../text/run-words.js'

const route = useRoute()
const router = useRouter()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const {
  data: state,
  isLoading,
  error,
  refetch,
} = useQuery({
  queryKey: ['runs', project],
  queryFn: () => api.runs(project.value),
})

const linkTo = (run: string) => ({ name: 'run', params: { project: project.value, run } })
</script>

<template>
  <div class="runs">
    <div class="head">
      <h1>Runs</h1>
      <span class="soft keys"><i class="key load"></i> arrivals due <i class="key times"></i> p95 of each second</span>
    </div>
    <PageError v-if="error" title="The runs could not be read" :detail="wordsOf(error)" @again="refetch()" />
    <p v-else-if="isLoading && !state" class="wait soft">Loading runs…</p>
    <div v-else-if="state && state.runs.length === 0" class="wait">
      <h2>No runs yet</h2>
      <p class="soft">
        Open a plan and run it. <RouterLink :to="{ name: 'plans', params: { project } }">Open plans</RouterLink>
      </p>
    </div>
    <table v-else-if="state" class="table picked">
      <thead>
        <tr>
          <th class="figure">run</th>
          <th>verdict</th>
          <th>plan</th>
          <th>load and response time</th>
          <th class="figure">highest p95</th>
          <th class="figure">requests</th>
          <th class="figure">failed</th>
          <th class="figure">length</th>
          <th>commit</th>
          <th>when</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="run in state.runs" :key="run.id" @click="router.push(linkTo(run.id))">
          <td class="figure">{{ run.number }}</td>
          <td>
            <RouterLink class="verdict" :class="run.verdict ?? 'going'" :to="linkTo(run.id)" @click.stop>
              <VerdictSign :verdict="run.verdict ?? 'going'" />{{ runWords(run) }}
            </RouterLink>
            <div v-if="run.gates && run.gates.breached > 0" class="soft">
              {{ run.gates.breached }} of {{ run.gates.all }} gates
            </div>
          </td>
          <td>{{ run.planName }}</td>
          <td><RunSpark v-if="run.spark.due.length > 0" :spark="run.spark" /></td>
          <td class="figure">{{ run.p95 === null ? '–' : formatMs(run.p95) }}</td>
          <td class="figure">{{ run.requests === null ? '–' : grouped(run.requests) }}</td>
          <td class="figure">{{ run.failedShare === null ? '–' : percent(run.failedShare) }}</td>
          <td class="figure">{{ lengthOf(run.seconds) }}</td>
          <td>
            <code>{{ run.commit?.slice(0, 7) ?? '–' }}</code> <span class="soft">{{ run.branch }}</span>
          </td>
          <td class="soft">{{ ago(run.askedAt, now.getTime()) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.runs {
  padding: 14px 16px;
}
.head {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding-bottom: 12px;
}
.keys {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-left: auto;
}
.key {
  width: 14px;
  height: 2px;
  margin-left: 10px;
}
.key.load {
  background: var(--lake);
}
.key.times {
  background: var(--slate);
}
.verdict {
  display: flex;
  gap: 8px;
  align-items: center;
  font-weight: 650;
  text-decoration: none;
}
.open {
  color: var(--lake);
}
.shut {
  color: var(--brick);
}
.going {
  color: var(--ochre-text);
}
.wait {
  padding: 24px 10px;
}
</style>
