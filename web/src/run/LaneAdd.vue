<script setup lang="ts">
// A lane of one's own: up to four series of the run, in at most two units.
import {
  isLane,
  MOST_IN_LANE,
  MOST_OWN_LANES,
  MOST_UNITS,
  seriesIn,
  seriesText,
  seriesWords,
  unitOfSeries,
  type LaneSpec,
  type RunShape,
  type SeriesOf,
} from '@jolt-gate/core'
import { ElButton, ElDialog, ElOption, ElOptionGroup, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { takeCursor } from '../forms/take-cursor.js'

const props = defineProps<{ shape: RunShape; lanes: readonly LaneSpec[] }>()
const emit = defineEmits<{ add: [series: SeriesOf[]] }>()
const isOpen = ref(false)
const chosen = ref<string[]>([])
watch(isOpen, () => (chosen.value = []))

const isFull = computed(() => props.lanes.filter(({ kind }) => kind === 'own').length >= MOST_OWN_LANES)
const all = computed(() => seriesIn(props.shape))
const TITLES: [SeriesOf['of'], string][] = [
  ['step', 'Steps'],
  ['group', 'Groups'],
  ['journey', 'Journeys'],
  ['place', 'Places'],
  ['network', 'Networks'],
  ['metric', 'Target metrics'],
  ['generator', 'Generator'],
]
const groups = computed(() =>
  TITLES.flatMap(([of, title]) => {
    const series = all.value.filter((one) => one.of === of)
    return series.length === 0 ? [] : [{ title, series }]
  }),
)
const series = computed(() => all.value.filter((one) => chosen.value.includes(seriesText(one))))
const fault = computed(() => {
  if (series.value.length === 0 || isLane(series.value)) return ''
  return series.value.length > MOST_IN_LANE
    ? `a lane has at most ${String(MOST_IN_LANE)} series`
    : `a lane has at most ${String(MOST_UNITS)} units; these are in ${[...new Set(series.value.map(unitOfSeries))].join(', ')}`
})
function add(): void {
  if (!isLane(series.value)) return
  emit('add', series.value)
  isOpen.value = false
}
</script>

<template>
  <ElButton
    size="small"
    text
    :disabled="isFull"
    :title="isFull ? `at most ${String(MOST_OWN_LANES)} lanes of one's own` : ''"
    @click="isOpen = true"
    >+ Lane</ElButton
  >
  <ElDialog v-model="isOpen" title="Add a lane" width="460" append-to-body @opened="takeCursor">
    <form @submit.prevent="add()">
      <ElSelect
        v-model="chosen"
        multiple
        filterable
        aria-label="Series"
        placeholder="Search steps, groups, journeys, places, metrics"
        :multiple-limit="MOST_IN_LANE"
      >
        <ElOptionGroup v-for="group in groups" :key="group.title" :label="group.title">
          <ElOption
            v-for="one in group.series"
            :key="seriesText(one)"
            :value="seriesText(one)"
            :label="seriesWords(one)"
          />
        </ElOptionGroup>
      </ElSelect>
      <p class="fault" role="alert">{{ fault }}</p>
      <div class="buttons">
        <ElButton @click="isOpen = false">Cancel</ElButton>
        <ElButton type="primary" native-type="submit" :disabled="series.length === 0 || fault !== ''">Add</ElButton>
      </div>
    </form>
  </ElDialog>
</template>

<style scoped>
.fault {
  min-height: 1.5em;
  color: var(--brick);
}
.buttons {
  display: flex;
  justify-content: flex-end;
}
</style>
