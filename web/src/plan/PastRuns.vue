<script setup lang="ts">
// A limit tried on the last runs of the plan: how many would have held, before it is committed.
import { triedOnPast } from '@jolt-gate/core'
import { useQuery } from '@tanstack/vue-query'
import { ElButton } from 'element-plus'
import { computed, inject, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { countsIn } from '../trend/trend-picture.js'
import { PLAN_FORM } from './form/use-form.js'

const props = defineProps<{ rule: string }>()
const form = inject(PLAN_FORM)
const LAST = 26
const isTrying = ref(false)
const query = computed(() => ({
  plan: form?.file.value ?? '',
  target: form?.around.value?.target?.name ?? '',
  last: LAST,
}))
const { data: trend, error } = useQuery({
  queryKey: ['trend', computed(() => form?.project.value ?? 0), query],
  queryFn: () => api.trend(form?.project.value ?? 0, query.value),
  enabled: computed(() => isTrying.value && query.value.target !== ''),
})
const words = computed(() => {
  if (query.value.target === '') return 'The target of the plan cannot be read.'
  if (error.value !== null) return wordsOf(error.value)
  if (trend.value === undefined) return 'Loading past runs…'
  const { runs, series } = trend.value
  const figures = series.map(({ rule, name, unit, points }) => ({
    rule: rule ?? `p95 response time of ${JSON.stringify(name)} under 1 ms`,
    unit,
    values: points.map((point, run) =>
      runs[run] !== undefined && countsIn(runs[run]) ? (point?.value ?? null) : null,
    ),
  }))
  const outcome = triedOnPast(props.rule, figures)
  if (outcome === undefined) return ''
  if (outcome.kind === 'of a baseline') return 'A limit of a baseline is another one in each run: it cannot be tried.'
  if (outcome.kind === 'never measured') return 'No past run against this target has measured it.'
  const { measured, breached } = outcome
  const numbers = breached.map((run) => String(runs[run]?.number ?? ''))
  const held =
    measured.length === 1
      ? `would ${breached.length === 0 ? '' : 'not '}have held in the one run that measured it`
      : `would have held in ${String(measured.length - breached.length)} of the last ${String(measured.length)} runs`
  return numbers.length === 0 ? held : `${held}; breached in ${listed(numbers)}`
})
const MOST = 6
const listed = (numbers: readonly string[]): string =>
  `run${numbers.length === 1 ? '' : 's'} ${numbers.slice(-MOST).join(', ')}${numbers.length > MOST ? ` and ${String(numbers.length - MOST)} before` : ''}`
</script>

<template>
  <p class="past" aria-live="polite">
    <ElButton v-if="!isTrying" link @click="isTrying = true">Try this limit on past runs</ElButton>
    <span v-else class="soft">{{ words }}</span>
  </p>
</template>

<style scoped>
.past {
  margin: 0;
  line-height: 1.35;
}
.past .el-button {
  white-space: normal;
}
</style>
