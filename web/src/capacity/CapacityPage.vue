<script setup lang="ts">
// A search for the capacity of a service: the answer on the left; the curve and the trials on the right, as they grow.
import { loadWords } from '@jolt-gate/core'
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import { useMay } from '../stores/may.js'
import { ago, clock, lengthOf } from '../text/figures.js'
import CapacityChart from './CapacityChart.vue'
import CapacityColumn from './CapacityColumn.vue'
import TrialTable from './TrialTable.vue'
import { drawnGate } from './capacity-words.js'
import type { DrawnSearch } from './capacity-charts.js'

const route = useRoute()
const now = useNow({ interval: 1000 })
const project = computed(() => Number(route.params['project']))
const id = computed(() => String(route.params['search']))
const may = useMay(() => project.value)
const {
  data: search,
  error,
  refetch,
} = useQuery({
  queryKey: ['capacity', project, id],
  queryFn: () => api.capacitySearch(project.value, id.value),
})
const { data: all } = useQuery({
  queryKey: ['capacity', project, 'all'],
  queryFn: () => api.capacitySearches(project.value),
})
const earlier = computed(() =>
  (all.value?.searches ?? [])
    .filter((one) => one.planFile === search.value?.planFile && one.id !== id.value)
    .slice(0, 12),
)
const rule = computed(() => drawnGate(search.value?.trials ?? []))
const drawn = computed((): DrawnSearch | undefined => {
  const { value } = search
  if (value === undefined || value.trials.length === 0 || rule.value === undefined) return undefined
  return {
    ...{ unit: value.goal.unit, trials: value.trials, rule: rule.value, law: value.capacity?.law ?? null },
    answer: value.load === null ? null : { load: value.load, interval: value.interval },
  }
})
const spent = computed(() => {
  const { startedAt, endedAt } = search.value ?? {}
  if (startedAt == null) return 0
  return ((endedAt == null ? now.value.getTime() : Date.parse(endedAt)) - Date.parse(startedAt)) / 1000
})
const makingWords = computed(() => {
  const { making, goal, state, trials } = search.value ?? {}
  if (state === 'queued') return 'waits for its turn: something else runs now'
  if (making == null || goal === undefined) return ''
  const load = loadWords(making.load, goal.unit)
  return making.kind === 'probe'
    ? `probing at ${load}, whether the service is as it was in the beginning`
    : `trial ${String((trials?.length ?? 0) + 1)} at ${load}, measured for ${lengthOf(making.seconds)} after its warm-up`
})
const fault = ref('')
const isStopping = ref(false)
async function stop(): Promise<void> {
  fault.value = ''
  isStopping.value = true
  await api.stopCapacity(project.value, id.value).catch((problem: unknown) => (fault.value = wordsOf(problem)))
  isStopping.value = false
}
</script>

<template>
  <div v-if="error && !search" class="padded">
    <PageError title="The search could not be read" :detail="wordsOf(error)" @again="refetch()" />
  </div>
  <p v-else-if="!search" class="soft waiting">Loading search…</p>
  <div v-else class="search">
    <CapacityColumn :search="search" :earlier="earlier" :now="now.getTime()" />
    <section class="main">
      <div class="head">
        <h1>Capacity</h1>
        <span class="soft facts">
          commit {{ search.commit?.slice(0, 7) ?? 'none' }} on <b>{{ search.branch ?? 'no branch' }}</b> · against
          <b>{{ search.targetName }}</b> · {{ clock(spent) }} of at most {{ lengthOf(search.goal.withinSeconds) }} · by
          {{ search.startedBy }}, {{ ago(search.askedAt, now.getTime()) }}
        </span>
        <ElButton v-if="search.state !== 'ended' && may.mayWrite" :loading="isStopping" @click="stop()">Stop</ElButton>
      </div>
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      <p v-if="search.state !== 'ended'" class="making" aria-live="polite">{{ makingWords }}</p>
      <template v-if="drawn">
        <p class="lane">
          <b>{{ drawn.rule }}</b>
          <span class="soft">what each trial observed over its hold, with its 95 % interval</span>
        </p>
        <CapacityChart kind="gate" :drawn="drawn" label="What the gate observed at each load" />
        <p class="lane">
          <b>Throughput</b>
          <span class="soft"
            >passed requests per second, by users in the service at once<template v-if="drawn.law"
              >; the law, and dashed what each user alone would get</template
            ></span
          >
        </p>
        <CapacityChart kind="throughput" :drawn="drawn" label="Throughput by users in the service" />
      </template>
      <p v-else-if="search.state === 'ended'" class="soft waiting">No trial came to its end.</p>
      <TrialTable v-if="search.state !== 'queued'" :trials="search.trials" :unit="search.goal.unit" :rule="rule" />
    </section>
  </div>
</template>

<style scoped>
.search {
  display: grid;
  grid-template-columns: 318px minmax(0, 1fr);
  height: 100%;
}
.main {
  padding: 10px 16px;
  overflow: auto;
}
.head {
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: 36px;
  padding-bottom: 6px;
}
.facts {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.head .el-button {
  margin-left: auto;
}
.lane {
  padding: 4px 0 2px;
}
.lane .soft {
  margin-left: 10px;
  font-size: 12px;
}
.making {
  padding: 2px 0 8px;
  color: var(--ochre-text);
}
.waiting {
  padding: 40px 16px;
}
</style>
