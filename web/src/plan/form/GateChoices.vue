<script setup lang="ts">
// A gate built from choices: each part a list of what may stand there, the limit written.
import { MEASURES, readSentence, type Plan, type Target } from '@jolt-gate/core'
import { ElAutocomplete, ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { groupNames, phaseNames, requestNames } from '../use-gates.js'
import { COMPARISONS, limitFor, partsAllowed, partsOf, sentenceOf, STATISTICS, type GateParts } from './gate-parts.js'

const props = defineProps<{ plan: Plan; target: Target | null }>()
/** The sentence; what is not one is kept until it is again. */
const rule = defineModel<string>({ required: true })

const FIRST: GateParts = {
  statistic: 'p95',
  measure: 'response time',
  of: '',
  journey: '',
  place: '',
  network: '',
  during: '',
  comparison: 'under',
  limit: '500 ms',
}
const parts = computed(() => partsOf(rule.value) ?? FIRST)
const quoted = (names: readonly string[]) => names.map((name) => JSON.stringify(name))
const allowed = computed(() => partsAllowed(parts.value.measure))
const measures = computed(() => [
  ...Object.keys(MEASURES).flatMap((kind) =>
    kind === 'apdex' ? ['apdex at 300 ms'] : kind === 'metric' || kind === 'recovery' ? [] : [kind],
  ),
  ...quoted(props.plan.load.phases.map(({ name }) => name)).map((phase) => `recovery after ${phase}`),
  ...(props.target?.metrics ?? []).map(({ name }) => `metric ${JSON.stringify(name)}`),
])
const subjects = computed(() =>
  quoted(allowed.value.of === 'groups' ? groupNames(props.plan) : requestNames(props.plan)),
)
const journeys = computed(() => quoted(props.plan.journeys.map(({ name }) => name)))
const limits = computed(() => {
  const usual = limitFor(parts.value.measure)
  return [
    usual,
    ...(parts.value.comparison === 'at most' ? ['110 % of baseline', `110 % of baseline or ${usual}`] : []),
  ]
})
/** As it is typed: half a number is no limit yet. */
const limit = ref(parts.value.limit)
watch(
  () => parts.value.limit,
  (next) => {
    if (next !== limit.value.trim()) limit.value = next
  },
)
const fault = computed(() => {
  const read = readSentence('Gate', rule.value)
  if (!read.ok) return read.fault.message
  return limit.value.trim() === parts.value.limit ? '' : `"${limit.value}" is no limit of this measure yet`
})

function change(changed: Partial<GateParts>): void {
  const next = { ...parts.value, ...changed }
  if (changed.measure !== undefined) {
    const { of, hasJourney } = partsAllowed(changed.measure)
    if (of !== allowed.value.of) next.of = ''
    if (!hasJourney) next.journey = ''
    next.limit = familyOf(changed.measure) === familyOf(parts.value.measure) ? next.limit : limitFor(changed.measure)
    next.comparison = AT_LEAST.includes(changed.measure)
      ? 'at least'
      : ['1 %', 'strained'].includes(next.limit)
        ? 'at most'
        : 'under'
  }
  const written = sentenceOf(next)
  if (readSentence('Gate', written).ok) rule.value = written
}
const AT_LEAST = ['throughput', 'arrival rate', 'requests', 'arrivals', 'journeys', 'apdex at 300 ms']
const familyOf = (measure: string) =>
  Object.entries(MEASURES).find(([kind]) => measure.startsWith(kind))?.[1].family ?? ''
</script>

<template>
  <div class="choices">
    <div class="pair">
      <ElSelect
        v-if="allowed.hasStatistic"
        class="short"
        :model-value="parts.statistic || 'p95'"
        aria-label="Statistic"
        filterable
        allow-create
        default-first-option
        @change="change({ statistic: String($event) })"
      >
        <ElOption v-for="one in STATISTICS" :key="one" :value="one" />
      </ElSelect>
      <ElSelect
        :model-value="parts.measure"
        aria-label="Measure"
        filterable
        @change="change({ measure: String($event) })"
      >
        <ElOption v-for="one in measures" :key="one" :value="one" />
      </ElSelect>
    </div>
    <ElSelect
      v-if="allowed.of !== 'none'"
      :model-value="parts.of"
      aria-label="Of"
      filterable
      :empty-values="[undefined]"
      @change="change({ of: String($event) })"
    >
      <ElOption value="" :label="allowed.of === 'groups' ? 'of all groups' : 'of all requests'" />
      <ElOption v-if="allowed.of === 'steps'" value="each step" label="of each step" />
      <ElOption v-for="one in subjects" :key="one" :value="one" :label="`of ${one}`" />
    </ElSelect>
    <ElSelect
      v-if="allowed.hasJourney && journeys.length > 1"
      :model-value="parts.journey"
      aria-label="In journey"
      :empty-values="[undefined]"
      @change="change({ journey: String($event) })"
    >
      <ElOption value="" label="in all journeys" />
      <ElOption v-for="one in journeys" :key="one" :value="one" :label="`in journey ${one}`" />
    </ElSelect>
    <ElSelect
      v-if="allowed.hasDuring"
      :model-value="parts.during"
      aria-label="During"
      :empty-values="[undefined]"
      @change="change({ during: String($event) })"
    >
      <ElOption value="" label="during all measured phases" />
      <ElOption v-for="one in phaseNames(plan)" :key="one" :value="one" :label="`during ${one}`" />
    </ElSelect>
    <div class="pair">
      <ElSelect
        class="short"
        :model-value="parts.comparison"
        aria-label="Comparison"
        @change="change({ comparison: String($event) })"
      >
        <ElOption v-for="one in COMPARISONS" :key="one" :value="one" />
      </ElSelect>
      <ElAutocomplete
        v-model="limit"
        aria-label="Limit of the gate"
        :fetch-suggestions="() => limits.map((value) => ({ value }))"
        :fit-input-width="false"
        @update:model-value="change({ limit: String($event).trim() })"
      />
    </div>
    <ElInput v-model="rule" type="textarea" :rows="2" aria-label="The gate as a sentence" />
    <p v-if="fault" class="fault">{{ fault }}</p>
  </div>
</template>

<style scoped>
.choices {
  display: grid;
  gap: 6px;
}
.pair {
  display: flex;
  gap: 6px;
}
.short {
  flex: 0 0 104px;
}
</style>
