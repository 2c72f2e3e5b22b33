<script setup lang="ts">
// The answer of a search: how much, what gave way first, the law of the service, and what came of the searches before.
import { loadWords } from '@jolt-gate/core'
import type { CapacityDetail, CapacityLine } from '@jolt-gate/core/api'
import { computed } from 'vue'
import { ago } from '../text/figures.js'
import VerdictSign from '../verdict/VerdictSign.vue'
import TrendChart from './TrendChart.vue'
import { comparableWith } from './capacity-trend.js'
import {
  answerWords,
  firstBreach,
  goalWords,
  intervalWords,
  observedWords,
  othersHeldTo,
  share,
} from './capacity-words.js'

const props = defineProps<{ search: CapacityDetail; earlier: readonly CapacityLine[]; now: number }>()

const capacity = computed(() => props.search.capacity)
const isOver = computed(() => props.search.state === 'ended')
const isGate = computed(() => props.search.goal.kind === 'at least')
const breach = computed(() => firstBreach(props.search.trials))
const othersTo = computed(() =>
  breach.value === undefined ? undefined : othersHeldTo(props.search.trials, breach.value.gate),
)
const found = computed(() => comparableWith(props.search, props.earlier))
const meaning = computed(() => {
  if (!isOver.value) return `looking for ${goalWords(props.search.goal)}`
  if (isGate.value || capacity.value?.load == null) return ''
  return capacity.value.verdict === 'shut'
    ? 'the lowest load of the range does not hold'
    : capacity.value.kind === 'at least'
      ? 'the highest load that could be tried holds'
      : 'highest load at which every gate held'
})
const sign = computed(() => capacity.value?.verdict ?? 'going')
</script>

<template>
  <aside class="column">
    <p class="soft">
      <RouterLink :to="{ name: 'plan', params: { project: search.projectId }, query: { file: search.planFile } }">{{
        search.planName
      }}</RouterLink>
      · capacity
    </p>
    <div class="answer" :class="sign" aria-live="polite">
      <div class="title">{{ answerWords(search) }}</div>
      <div class="soft">{{ meaning }}</div>
      <div v-if="search.interval" class="soft">{{ intervalWords(search.interval, search.goal) }}</div>
    </div>
    <p v-if="isOver && (search.verdict === 'void' || search.verdict === 'stopped')" class="why">{{ search.words }}</p>
    <p v-if="isGate" class="gate">
      <VerdictSign :verdict="sign" /> <b>capacity {{ goalWords(search.goal) }}</b>
      <b class="end" :class="sign">{{
        { open: 'held', shut: 'breached', void: 'undecided', stopped: 'stopped', going: 'deciding' }[sign]
      }}</b>
    </p>
    <p v-for="gate in capacity?.gates ?? []" :key="gate.rule" class="gate">
      <VerdictSign :verdict="gate.status" /> <b>{{ gate.rule }}</b>
      <b class="end" :class="{ held: 'open', breached: 'shut', undecided: 'void' }[gate.status]">{{ gate.status }}</b>
    </p>
    <template v-if="breach">
      <h2>What gave way first</h2>
      <p>
        <b class="bad">{{ breach.gate ?? 'no gate by itself' }}</b>
      </p>
      <p class="soft">
        at {{ loadWords(breach.load, search.goal.unit) }}: {{ observedWords(breach, breach.gate ?? undefined) }}.
        <template v-if="othersTo !== undefined"
          >All other gates held at up to {{ loadWords(othersTo, search.goal.unit) }}.</template
        >
      </p>
      <ul v-if="breach.findings.length > 0" class="findings">
        <li v-for="finding in breach.findings" :key="finding">{{ finding }}</li>
      </ul>
    </template>
    <template v-if="capacity?.law">
      <h2>Law of this service</h2>
      <div
        v-for="[name, words, figure] in [
          ['waits for one another', 'contention', capacity.law.contention],
          ['agrees with one another', 'coherency', capacity.law.coherency],
        ] as const"
        :key="name"
        class="figure"
      >
        <span>{{ name }}</span>
        <span>{{ share(figure.value) }}</span>
        <span class="soft">{{ words }}</span>
        <span class="soft">{{ share(figure.interval[0]) }} to {{ share(figure.interval[1]) }}</span>
      </div>
      <div class="figure">
        <span>most throughput</span>
        <span>{{ capacity.law.peakUsers === null ? 'not told' : `${capacity.law.peakUsers.toFixed(0)} users` }}</span>
        <span class="soft">by the law</span>
        <span class="soft">{{ capacity.law.peakUsers === null ? 'beyond the data' : 'in the service at once' }}</span>
      </div>
      <p v-if="capacity.law.warning" class="bad">Not to be relied on: {{ capacity.law.warning }}.</p>
      <p class="soft">
        Universal Scalability Law (Gunther 2007), fitted to {{ capacity.law.points }} trials, R²
        {{ capacity.law.r2.toFixed(3) }}.
      </p>
    </template>
    <template v-if="search.leftOut.length > 0">
      <h2>Left out of the search</h2>
      <p v-for="one in search.leftOut" :key="one.rule" class="soft">{{ one.rule }}: {{ one.why }}</p>
    </template>
    <template v-if="earlier.length > 0">
      <h2>Other searches of this plan</h2>
      <template v-if="found.length > 1">
        <TrendChart :found="found" :shown="search.id" :unit="search.goal.unit" />
        <p class="soft">
          Against the same target, the oldest at the left, with 95 % intervals; a triangle is “at least”.
        </p>
      </template>
      <div v-for="one in earlier" :key="one.id" class="earlier">
        <VerdictSign :verdict="one.verdict ?? 'going'" />
        <RouterLink :to="{ name: 'capacity', params: { project: one.projectId, search: one.id } }">{{
          answerWords(one)
        }}</RouterLink>
        <span class="soft" :title="`against ${one.targetName}`"
          >{{ one.commit?.slice(0, 7) ?? '' }}, {{ ago(one.askedAt, now) }}</span
        >
      </div>
    </template>
  </aside>
</template>

<style scoped>
.column {
  padding: 16px;
  overflow: auto;
  border-right: 1px solid var(--rule);
  background: var(--sheet);
}
.column a {
  color: var(--lake);
}
.answer {
  padding: 6px 0 14px;
  border-bottom: 2px solid var(--ink);
}
.title {
  font-size: 32px;
  font-weight: 700;
  line-height: 1.2;
}
.shut .title,
.bad,
.end.shut {
  color: var(--brick);
}
.going .title,
.end.going {
  color: var(--ochre-text);
}
.end.open {
  color: var(--lake);
}
.why,
.gate {
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
}
.gate {
  display: flex;
  gap: 8px;
  align-items: center;
}
.end {
  margin-left: auto;
}
h2 {
  padding: 14px 0 4px;
}
.findings {
  margin: 6px 0 0;
  padding: 4px 0 4px 24px;
  border-left: 3px solid var(--ochre);
}
.figure {
  display: grid;
  grid-template-columns: 1fr auto;
  padding: 6px 8px;
  border-bottom: 1px solid var(--rule);
}
.figure span:nth-child(2n) {
  text-align: right;
}
.earlier {
  display: grid;
  grid-template-columns: 22px auto 1fr;
  gap: 0 8px;
  align-items: baseline;
  padding: 4px 0;
}
.earlier .soft {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
