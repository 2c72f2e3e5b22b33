<script setup lang="ts">
// Two to five runs beside one another, or two sides of several: the answer in a sentence, what differed around them,
// lanes, and each figure.
import { comparisonMethod } from '@jolt-gate/core'
import { useNow } from '@vueuse/core'
import { Close } from '@element-plus/icons-vue'
import { ElButton, ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import VerdictSign from '../verdict/VerdictSign.vue'
import { ago } from '../text/figures.js'
import {
  answerOfSides,
  answersOf,
  gateRowsOf,
  gateRowsOfSides,
  MOST_COMPARED,
  rowsOf,
  runsWords,
} from './compare-picture.js'
import CompareLanes from './CompareLanes.vue'
import CompareSteps from './CompareSteps.vue'
import { useCompare } from './use-compare.js'

const route = useRoute()
const router = useRouter()
const now = useNow({ interval: 60_000 })
const project = computed(() => Number(route.params['project']))
const named = (key: 'runs' | 'with') =>
  [...new Set(String(route.query[key] ?? '').split(','))].filter((id) => /^\w{1,20}$/.test(id)).slice(0, MOST_COMPARED)
const ids = computed(() => named('runs'))
const others = computed(() => named('with').filter((id) => !ids.value.includes(id)))
const { runs, comparisons, fault, load } = useCompare(ids, others)
const isOfSides = computed(() => others.value.length > 0)
const sides = computed(() => [0, 1].map((side) => runs.value.filter(({ line }) => line === side)))
const answers = computed(() => {
  const [before = [], after = []] = sides.value
  const [comparison] = comparisons.value ?? []
  if (!isOfSides.value) return answersOf(runs.value, comparisons.value ?? [])
  return comparison === undefined ? [] : answerOfSides(before, after, comparison)
})
const rows = computed(() => rowsOf(comparisons.value ?? []))
/** What stands over each column of figures. */
const names = computed(() =>
  isOfSides.value ? sides.value.map(runsWords) : runs.value.map(({ detail }) => `run ${String(detail.number)}`),
)
const gates = computed(() => {
  const [comparison] = comparisons.value ?? []
  if (!isOfSides.value) return gateRowsOf(runs.value)
  return comparison === undefined ? [] : gateRowsOfSides(comparison)
})
const seconds = computed(() => Math.max(1, ...runs.value.slice(0, 1).map(({ result }) => result.series.atMs.length)))
const first = computed(() => runs.value[0])
const method = computed(() => (comparisons.value?.[0] ? comparisonMethod(comparisons.value[0]) : ''))

function show(next: readonly string[], side: readonly string[] = []): void {
  void router.replace({ query: { runs: next.join(','), ...(side.length === 0 ? {} : { with: side.join(',') }) } })
}
const sideOf = (id: string) => (ids.value.includes(id) ? ids.value : others.value)
/** As long as enough is left to compare. */
const mayLeaveOut = (id: string) => sideOf(id).length > 2
const without = (id: string) => (list: readonly string[]) => list.filter((one) => one !== id)
</script>

<template>
  <div class="padded">
    <PageHead title="Compare">
      <span v-for="{ detail, line } in runs" :key="detail.id" class="run" :class="`run-${line}`">
        <svg class="key" width="22" height="10" aria-hidden="true"><path d="M0 5H22" /></svg>
        <VerdictSign :verdict="detail.verdict ?? 'going'" />
        <RouterLink :to="{ name: 'run', params: { project, run: detail.id } }">run {{ detail.number }}</RouterLink>
        <span class="soft">{{ detail.commit?.slice(0, 7) ?? '' }} {{ ago(detail.askedAt, now.getTime()) }}</span>
        <ElButton
          v-if="mayLeaveOut(detail.id)"
          link
          :icon="Close"
          :aria-label="`Leave out run ${detail.number}`"
          @click="show(without(detail.id)(ids), without(detail.id)(others))"
        />
      </span>
      <ElButton v-if="isOfSides" class="swap" link @click="show(others, ids)">Swap</ElButton>
      <ElButton v-else-if="runs.length === 2" class="swap" link @click="show([...ids].reverse())">Swap</ElButton>
    </PageHead>
    <PageError v-if="fault" title="The runs could not be compared" :detail="fault" @again="load()" />
    <div v-else-if="ids.length + others.length < 2 || ids.length === 0" class="wait">
      <h2>Choose two to five runs</h2>
      <p class="soft">
        Select them in the <RouterLink :to="{ name: 'runs', params: { project } }">list of runs</RouterLink> or on the
        <RouterLink :to="{ name: 'trend', params: { project } }">trend</RouterLink>.
      </p>
    </div>
    <p v-else-if="!first" class="soft wait">Loading runs…</p>
    <template v-else>
      <div class="desk">
        <section class="answers" aria-live="polite">
          <p v-if="comparisons === undefined" class="soft">Testing every figure…</p>
          <article v-for="answer in answers" :key="answer.title" :class="answer.tone.replace(' ', '-')">
            <h2>{{ answer.title }}</h2>
            <p class="words">{{ answer.words }}</p>
            <ul v-if="answer.around.length > 0" class="soft">
              <li v-for="words in answer.around" :key="words">{{ words }}</li>
            </ul>
          </article>
          <p class="soft small">{{ method }}</p>
        </section>
        <CompareLanes :runs="runs" :seconds="seconds" />
      </div>
      <h2 class="of">Steps</h2>
      <CompareSteps :rows="rows" :names="names" />
      <h2 class="of">Gates</h2>
      <ElTable :data="gates" size="small" aria-label="Gates of the runs">
        <ElTableColumn prop="rule" label="gate" min-width="320" show-overflow-tooltip />
        <ElTableColumn v-for="(name, index) in names" :key="name" :label="name" min-width="150" align="right">
          <template #default="{ row }">
            <span :class="{ breached: row.values[index].status === 'breached' }">{{ row.values[index].value }}</span>
            <div class="soft">{{ row.values[index].status }}</div>
          </template>
        </ElTableColumn>
      </ElTable>
    </template>
  </div>
</template>

<style scoped>
.run {
  display: flex;
  gap: 7px;
  align-items: center;
}
.run a {
  color: var(--ink);
  font-weight: 650;
}
.key path {
  stroke: var(--lake);
  stroke-width: 2.4;
}
.run-1 .key path {
  stroke: var(--slate);
  stroke-dasharray: 6 2;
}
.run-2 .key path {
  stroke: var(--ochre);
  stroke-dasharray: 6 3;
}
.run-3 .key path {
  stroke: var(--brick);
  stroke-dasharray: 6 4;
}
.run-4 .key path {
  stroke: var(--ink);
  stroke-dasharray: 6 5;
}
.desk {
  display: grid;
  grid-template-columns: 360px minmax(0, 1fr);
  gap: 20px;
}
article {
  margin-bottom: 14px;
  padding-left: 10px;
  border-left: 3px solid var(--lake);
}
article.worse {
  border-left-color: var(--brick);
}
article.cannot-tell {
  border-left-color: var(--ochre);
}
.words {
  padding: 4px 0;
  font-size: 14px;
}
ul {
  margin: 0;
  padding-left: 18px;
  overflow-wrap: anywhere;
}
.small {
  font-size: 12px;
}
.of {
  padding: 16px 0 6px;
}
.breached {
  color: var(--brick);
  font-weight: 600;
}
.wait {
  padding: 24px 10px;
}
.wait a {
  color: var(--lake);
}
</style>
