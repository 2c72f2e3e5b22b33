<script setup lang="ts">
// A plan against a target, run by run: each gate, any step, and where they shifted.
import type { TrendNote } from '@jolt-gate/core/api'
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import { MOST_COMPARED } from '../compare/compare-picture.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import { useMay } from '../stores/may.js'
import BaselineNote from './BaselineNote.vue'
import TrendStrip from './TrendStrip.vue'
import { changesIn, impactPicture, keyOf, pictureOf, xOf, type ChangeWords } from './trend-picture.js'
import TrendChoices from './TrendChoices.vue'
import TrendRuns from './TrendRuns.vue'
import { useTrend } from './use-trend.js'
import ShiftList from './ShiftList.vue'

const route = useRoute()
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const { asked, ask, choices, trend, runs, shown, reads, isRead, error, isLoading, refetch } = useTrend(project)

const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const steps = computed(() => (trend.value?.series ?? []).filter(({ kind }) => kind === 'step'))
const pictures = computed(() => {
  const impact = impactPicture(runs.value, width.value)
  const strips = shown.value.map((one) => pictureOf(one, runs.value, width.value, reads.value.get(keyOf(one))))
  return impact === undefined ? strips : [...strips, impact]
})
const changes = computed(() => changesIn(pictures.value, shown.value, runs.value))
/** Of the figure that has most of them. */
const countedRuns = computed(() =>
  Math.max(0, ...pictures.value.map(({ dots }) => dots.filter(({ look }) => look !== 'not counted').length)),
)
const place = (run: number) => xOf(run, runs.value.length, width.value)
const runWidth = computed(() => Math.min(18, Math.max(6, width.value / Math.max(1, runs.value.length))))
const days = computed(() => {
  const every = Math.max(1, Math.ceil(runs.value.length / 7))
  return runs.value.flatMap(({ askedAt }, run) =>
    run % every === 0 ? [{ run, words: DAY.format(new Date(askedAt)) }] : [],
  )
})
const DAY = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' })

const chosen = ref<string[]>([])
/** The last ones that were chosen, as many as can be compared. */
function toggle(id: string): void {
  chosen.value = chosen.value.includes(id)
    ? chosen.value.filter((one) => one !== id)
    : [...chosen.value, id].slice(-MOST_COMPARED)
}
const chosenPlaces = computed(() => runs.value.flatMap(({ id }, run) => (chosen.value.includes(id) ? [run] : [])))
const compareTo = computed(() => ({
  name: 'compare',
  params: { project: project.value },
  query: { runs: runs.value.flatMap(({ id }) => (chosen.value.includes(id) ? [id] : [])).join(',') },
}))

const fault = ref('')
async function doing(task: () => Promise<unknown>): Promise<void> {
  fault.value = ''
  try {
    await task()
    await refetch()
  } catch (problem) {
    fault.value = wordsOf(problem)
  }
}
const acknowledge = ({ series, runs: [, first] }: ChangeWords, words: string) =>
  doing(() => api.addTrendNote(first.id, series, words))
const retract = ({ run, id }: TrendNote) => doing(() => api.removeTrendNote(run, id))
</script>

<template>
  <div class="padded">
    <PageHead title="Trend">
      <TrendChoices :asked="asked" :choices="choices" :steps="steps" @ask="ask" />
      <template #end>
        <RouterLink v-if="chosen.length > 1" class="compare" :to="compareTo"
          >Compare selected ({{ chosen.length }})</RouterLink
        >
        <span v-else class="soft">click two runs to compare them</span>
      </template>
    </PageHead>
    <PageError v-if="error && !trend" title="The trend could not be read" :detail="wordsOf(error)" @again="refetch()" />
    <p v-else-if="isLoading" class="soft wait">Loading trend…</p>
    <div v-else-if="runs.length === 0" class="wait">
      <h2>No runs yet</h2>
      <p class="soft">
        A trend needs runs of one plan against one target.
        <RouterLink :to="{ name: 'plans', params: { project } }">Open plans</RouterLink>
      </p>
    </div>
    <div v-else class="desk">
      <div class="strips">
        <div v-for="picture in pictures" :key="picture.key" class="row">
          <div class="label">
            <b>{{ picture.title }}</b>
            <span class="soft">{{ picture.note }}</span>
            <span class="soft">{{ picture.last }} at the last run</span>
          </div>
          <div class="picture">
            <TrendStrip
              v-if="width > 0"
              :picture="picture"
              :width="width"
              :chosen="chosenPlaces"
              :x-of="place"
              :run-width="runWidth"
              @pick="(run) => toggle(runs[run]?.id ?? '')"
            />
          </div>
        </div>
        <div class="row">
          <span></span>
          <div ref="box">
            <svg class="days" :width="width" height="18" aria-hidden="true">
              <text v-for="day in days" :key="day.run" :x="Math.max(16, place(day.run))" y="13" text-anchor="middle">
                {{ day.words }}
              </text>
            </svg>
          </div>
        </div>
        <TrendRuns :project="project" :runs="runs" :chosen="chosen" @toggle="toggle" />
      </div>
      <aside>
        <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
        <ShiftList
          :project="project"
          :changes="changes"
          :is-read="isRead"
          :counted-runs="countedRuns"
          :notes="trend?.notes ?? []"
          :may-write="may.mayWrite"
          @acknowledge="acknowledge"
          @retract="retract"
        />
        <BaselineNote :project="project" :baseline="trend?.baseline ?? null" />
        <section>
          <h2>How to read this</h2>
          <p class="soft small">
            A dot is a run, its bar the 95 % interval towards the limit. An open ring is a run that is void or stopped:
            shown, not counted. An ochre line is the median between two shifts; a shift is marked when it is unlikely to
            be chance (one false mark in about 100 figures), at least 5 %, and lasts for four runs.
          </p>
        </section>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.compare {
  color: var(--lake);
}
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 316px;
  gap: 18px;
}
.row {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 10px;
  padding-bottom: 10px;
}
.label {
  display: grid;
  align-content: start;
  font-size: 12px;
  line-height: 1.35;
}
.label b {
  font-size: 13px;
  overflow-wrap: anywhere;
}
.picture {
  min-width: 0;
}
.days text {
  fill: var(--soft);
  font-size: 11.5px;
}
aside {
  display: grid;
  gap: 18px;
  align-content: start;
  padding: 12px 14px;
  border: 1px solid var(--rule);
  background: var(--sheet);
}
.small {
  font-size: 12px;
}
h2 {
  padding-bottom: 6px;
}
.wait {
  padding: 24px 10px;
}
.fault {
  color: var(--brick);
}
</style>
