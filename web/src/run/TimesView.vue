<script setup lang="ts">
// All times of one step, group or journey: their percentiles to the end of the tail, and a histogram; the selected time
// range against the whole run, or the run against its baseline.
import {
  formatMs,
  pictureOfTimes,
  timesInResult,
  type RunShape,
  type TimesOf,
  type TimesPicture,
} from '@jolt-gate/core'
import { useQuery } from '@tanstack/vue-query'
import { ElOption, ElOptionGroup, ElSelect } from 'element-plus'
import { computed, watch } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { grouped } from '../text/figures.js'
import type { RunPicture } from './run.worker.js'
import type { DrawnTimes } from './times-charts.js'
import TimesChart from './TimesChart.vue'

const props = defineProps<{
  shape: RunShape
  times: RunPicture['times']
  /** The run that this one is held to. */
  baseline: string | null
  /** As the address says it: `step search`. */
  chosen: string
  against: 'whole run' | 'baseline'
}>()
const emit = defineEmits<{ choose: [key: string]; against: [what: 'whole run' | 'baseline']; show: [of: TimesOf] }>()

const KINDS = [
  { kind: 'step', label: 'Steps' },
  { kind: 'group', label: 'Groups' },
  { kind: 'journey', label: 'Journeys' },
] as const
const keyOf = ({ kind, name }: TimesOf) => `${kind} ${name}`
const offered = computed(() => {
  const names = {
    step: props.shape.steps.filter(({ isRequest }) => isRequest).map(({ name }) => name),
    group: props.shape.groups,
    journey: props.shape.journeys,
  }
  return KINDS.flatMap(({ kind, label }) =>
    names[kind].length === 0
      ? []
      : [{ label, all: [...new Set(names[kind])].map((name): TimesOf => ({ kind, name })) }],
  )
})
const all = computed(() => offered.value.flatMap((group) => group.all))
const of = computed(() => all.value.find((one) => keyOf(one) === props.chosen) ?? all.value[0])
watch(
  of,
  (next) => {
    if (next !== undefined) emit('show', next)
  },
  { immediate: true },
)

const isAgainstBaseline = computed(() => props.against === 'baseline' && props.baseline !== null)
const { data: before, error } = useQuery({
  queryKey: ['result', computed(() => props.baseline)],
  queryFn: () => api.runResult(props.baseline ?? ''),
  enabled: isAgainstBaseline,
})
const baselineTimes = computed(() =>
  before.value === undefined || of.value?.kind !== 'step'
    ? null
    : pictureOfTimes(timesInResult(before.value, of.value.name)),
)
const drawn = computed((): DrawnTimes[] => {
  const { whole = null, part = null } = props.times ?? {}
  const shown: [string, TimesPicture | null][] = [
    ['selected range', part],
    [
      part === null || isAgainstBaseline.value ? 'this run' : 'whole run',
      isAgainstBaseline.value && part ? null : whole,
    ],
    ['baseline', isAgainstBaseline.value ? baselineTimes.value : null],
  ]
  return shown.flatMap(([words, picture]) => (picture === null ? [] : [{ words, picture }]))
})
const FIGURES = ['50', '90', '95', '99', '99.9'] as const
const rows = computed(() =>
  drawn.value.map(({ words, picture }) => ({
    words,
    count: grouped(picture.count),
    figures: FIGURES.map((name) => {
      const ms = picture.percentiles[name]
      return `${name === '50' ? 'median' : `p${name}`} ${ms === null ? '–' : formatMs(ms)}`
    }),
  })),
)
const wait = computed(() => (props.times === undefined ? 'Computing…' : 'Nothing of it has ended yet.'))
</script>

<template>
  <div class="times">
    <div class="choices">
      <ElSelect
        :model-value="of === undefined ? '' : keyOf(of)"
        filterable
        aria-label="Times of"
        @change="(key: string) => $emit('choose', key)"
      >
        <ElOptionGroup v-for="group in offered" :key="group.label" :label="group.label">
          <ElOption v-for="one in group.all" :key="keyOf(one)" :value="keyOf(one)" :label="one.name" />
        </ElOptionGroup>
      </ElSelect>
      <span class="soft">against</span>
      <ElSelect
        class="against"
        :model-value="against"
        aria-label="Against"
        @change="(what: 'whole run' | 'baseline') => $emit('against', what)"
      >
        <ElOption value="whole run" label="the whole run" />
        <ElOption value="baseline" label="the baseline" :disabled="baseline === null" />
      </ElSelect>
      <span v-for="(row, index) in rows" :key="row.words" class="legend" :class="{ second: index === 1 }">
        <svg width="22" height="10" aria-hidden="true"><path d="M0 5H22" /></svg>{{ row.words }}
        <span class="soft">{{ row.count }}</span>
      </span>
    </div>
    <p v-if="error" class="fault" role="alert">{{ wordsOf(error) }}</p>
    <p v-if="isAgainstBaseline && of?.kind !== 'step'" class="soft">A baseline keeps the times of steps alone.</p>
    <p v-if="drawn.length === 0" class="soft">{{ wait }}</p>
    <template v-else>
      <div class="charts">
        <TimesChart kind="percentiles" :drawn="drawn" :label="`Percentiles of ${of?.name ?? ''}`" />
        <TimesChart kind="histogram" :drawn="drawn" :label="`Histogram of ${of?.name ?? ''}`" />
      </div>
      <p v-for="row in rows" :key="row.words" class="figures">
        <b>{{ row.words }}</b><span v-for="figure in row.figures" :key="figure">{{ figure }}</span>
      </p>
    </template>
  </div>
</template>

<style scoped>
.times {
  padding: 10px 0;
}
.choices {
  display: flex;
  gap: 10px;
  align-items: center;
  padding-bottom: 8px;
}
.choices .el-select {
  width: 220px;
}
.choices .against {
  width: 150px;
}
.legend {
  display: flex;
  gap: 6px;
  align-items: center;
}
.legend path {
  stroke: var(--lake);
  stroke-width: 2;
}
.second path {
  stroke: var(--slate);
  stroke-dasharray: 6 3;
}
.charts {
  display: grid;
  grid-template-columns: 3fr 2fr;
  gap: 18px;
}
.figures {
  display: flex;
  gap: 18px;
  padding: 3px 0;
}
.figures b {
  width: 110px;
}
</style>
