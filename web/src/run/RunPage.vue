<script setup lang="ts">
// One run, live or finished: verdict on the left; lanes, steps and failures on the right.
import { lanesText, type TimeRange } from '@jolt-gate/core'
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { ElButton, ElTabPane, ElTabs } from 'element-plus'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import { ago, clock, lengthOf } from '../text/figures.js'
import FindingList from './FindingList.vue'
import LaneAdd from './LaneAdd.vue'
import LaneViews from './LaneViews.vue'
import RunActions from './RunActions.vue'
import RunLanes from './RunLanes.vue'
import RunMarks from './RunMarks.vue'
import RunNote from './RunNote.vue'
import RunShares from './RunShares.vue'
import RunTables from './RunTables.vue'
import { runSource, sharedSource, useRun } from './use-run.js'
import { RUN_TABS } from './run-tabs.js'
import { useLanes, type LaneChange } from './use-lanes.js'
import VerdictColumn from './VerdictColumn.vue'

const route = useRoute()
const router = useRouter()
/** The token of a shared link: the one who has nothing else reads, and does nothing. */
const props = defineProps<{ shared?: string | undefined }>()
const isShared = computed(() => props.shared !== undefined)
const id = computed(() => String(route.params['run']))
const source = computed(() => (props.shared === undefined ? runSource(id.value) : sharedSource(props.shared)))
const { run, view, laneView, state, part, fault, isConnected, open, select, showTimes, showSeries, stop, refresh } =
  useRun(source)
const now = useNow({ interval: 30_000 })
const actFault = ref('')
const isDescribing = ref(false)
const isMarking = ref(false)
const isSharing = ref(false)
const markSecond = ref(0)
const said = (key: string) => String(route.query[key] ?? '')
const say = (query: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...query } })
const tab = computed({
  get: () => RUN_TABS.find((one) => one === route.query['show']) ?? 'steps',
  set: (show) => {
    say({ show })
  },
})
const range = computed({
  get: (): TimeRange | null => {
    const [fromSecond, toSecond] = said('range').split('-').map(Number)
    return fromSecond !== undefined && toSecond !== undefined && toSecond > fromSecond ? { fromSecond, toSecond } : null
  },
  set: (next) => {
    say({ range: next === null ? undefined : `${String(next.fromSecond)}-${String(next.toSecond)}` })
  },
})
const projectId = computed(() => run.value?.projectId ?? 0)
const { data: views } = useQuery({
  queryKey: computed(() => ['views', projectId.value]),
  queryFn: async () => (await api.views(projectId.value)).views,
  enabled: computed(() => !isShared.value && projectId.value > 0),
})
const planView = computed(() => views.value?.find(({ planFile }) => planFile === run.value?.planFile))
const written = computed({
  get: () => said('lanes'),
  set: (lanes) => {
    say({ lanes: lanes === '' ? undefined : lanes })
  },
})
const { lanes, series, ...change } = useLanes(written, laneView, planView)
watch(series, showSeries, { immediate: true })
function changeLane(what: Exclude<LaneChange, 'png'>, index: number): void {
  if (what === 'turn') change.turn(index)
  else if (what === 'remove') change.remove(index)
  else change.move(index, what === 'up' ? -1 : 1)
}
/** At a moment: the cursor's, the start of what is selected, or now. */
function mark(second = range.value?.fromSecond ?? view.value?.seconds ?? 0): void {
  markSecond.value = second
  isMarking.value = true
}
const { data: queue } = useQuery({
  queryKey: ['queue'],
  queryFn: () => api.queue(),
  enabled: computed(() => !isShared.value),
})
/** Where it stands among those that wait; who runs now is not one of them. */
const queuedWords = computed(() => {
  const waiting = (queue.value?.runs ?? []).filter((one) => one.state === 'queued').sort((a, b) => a.number - b.number)
  const before = waiting.findIndex((one) => one.id === id.value)
  return before < 1 ? 'Queued: it is next.' : `Queued: number ${String(before + 1)} of ${String(waiting.length)}.`
})
/** Whether the tables are those of the selected seconds yet. */
const isComputed = computed(() => {
  const told = view.value?.range ?? null
  return told?.fromSecond === range.value?.fromSecond && told?.toSecond === range.value?.toSecond
})
const isGoing = computed(() => state.value !== 'ended')
const gates = computed(() => run.value?.result?.gates ?? view.value?.gates ?? [])
const failures = computed(() => (view.value?.steps ?? []).reduce((sum, step) => sum + step.failed, 0))

async function start(): Promise<void> {
  actFault.value = ''
  await open()
  select(range.value)
}
onMounted(start)
watch(source, () => void start())
watch(range, (next) => {
  select(next)
})
</script>

<template>
  <PageError v-if="fault" title="The run could not be shown" :detail="fault" @again="start()" />
  <div v-else-if="run" class="run">
    <VerdictColumn
      :verdict="run.verdict"
      :state="state"
      :part="part"
      :reasons="run.reasons"
      :notes="run.result?.notes ?? []"
      :gates="gates"
      :elapsed="view?.seconds ?? 0"
      :seconds="run.seconds"
      :no-baseline="run.noBaseline"
      :trust="run.result?.generator.reasons ?? null"
      :error-ms="run.result?.generator.error?.max ?? null"
    >
      <FindingList
        v-if="view && view.seconds > 0"
        :findings="run.result?.findings ?? view.findings"
        :impact="run.result?.impact ?? view.impact"
        :is-live="isGoing"
        @pick="(next) => (range = next)"
      />
    </VerdictColumn>
    <section class="main">
      <div class="head">
        <h1>
          <template v-if="isShared">{{ run.planName }}</template>
          <RouterLink
            v-else
            :to="{ name: 'plan', params: { project: run.projectId }, query: { file: run.planFile } }"
            >{{ run.planName }}</RouterLink
          >
        </h1>
        <span class="soft facts">
          run {{ run.number }} · commit {{ run.commit?.slice(0, 7) ?? 'none' }} on
          <b>{{ run.branch ?? 'no branch' }}</b> · against <b>{{ run.targetName }}</b> · {{ lengthOf(run.seconds)
          }}<template v-if="run.startedBy"> · by {{ run.startedBy }}</template
          ><template v-if="run.signedBy"> · signed by runner {{ run.signedBy }}</template
          >, {{ ago(run.askedAt, now.getTime()) }}
        </span>
        <RunActions
          v-if="!isShared"
          :run="run"
          :state="state"
          :part="part"
          :is-connected="isConnected"
          @stop="stop()"
          @fault="(words) => (actFault = words)"
          @changed="refresh()"
          @describe="isDescribing = true"
          @mark="mark()"
          @share="isSharing = true"
        />
        <span v-else-if="!isConnected" class="soft">reconnecting …</span>
      </div>
      <RunNote v-model="isDescribing" :run="run" @changed="refresh()" />
      <template v-if="!isShared">
        <RunMarks v-model="isMarking" :run="run" :second="markSecond" @changed="refresh()" />
        <RunShares v-model="isSharing" :run="run" />
      </template>
      <p v-if="actFault" class="fault" role="alert">{{ actFault }}</p>
      <RunLanes
        v-if="laneView && (laneView.seconds > 0 || isGoing)"
        v-model:range="range"
        :view="laneView"
        :shape="run.shape"
        :name="`${run.planName} run ${run.number}`"
        :specs="lanes"
        :marks="run.marks"
        @change="changeLane"
        @mark="(second) => !isShared && mark(second)"
      />
      <div v-else-if="!view" class="soft waiting">Loading run…</div>
      <div v-else class="soft waiting">No load was sent.</div>
      <p v-if="isGoing && view?.seconds === 0" class="soft">
        {{ state === 'queued' ? queuedWords : 'Waiting for the first second …' }}
      </p>
      <div class="tabs">
        <ElTabs v-model="tab">
          <ElTabPane name="steps" label="Steps" />
          <ElTabPane v-if="run?.shape.places" name="places" label="Places" />
          <ElTabPane v-if="run?.shape.networks" name="networks" label="Networks" />
          <ElTabPane name="journeys" label="Journeys" />
          <ElTabPane name="phases" label="Phases" />
          <ElTabPane name="times" label="Distribution" />
          <ElTabPane name="slowest" label="Slowest" />
          <ElTabPane name="failures" :label="`Failures ${String(failures)}`" />
          <ElTabPane name="once" label="Setup and teardown" />
        </ElTabs>
        <span v-if="range" class="range">
          {{ isComputed ? 'computed for' : 'loading' }} {{ clock(range.fromSecond) }} – {{ clock(range.toSecond) }} ·
          <ElButton class="whole" size="small" text @click="range = null">Whole run</ElButton>
        </span>
        <span v-else class="soft hint">drag over the chart to select</span>
        <LaneAdd :shape="run.shape" :lanes="lanes" @add="change.add" />
        <LaneViews
          v-if="!isShared"
          :project="run.projectId"
          :plan-file="run.planFile"
          :views="views ?? []"
          :lanes="lanesText(lanes)"
          @show="change.show"
          @fault="(words) => (actFault = words)"
        />
      </div>
      <RunTables
        :tab="tab"
        :run="run"
        :view="view"
        :is-shared="isShared"
        :chosen="said('of')"
        :against="said('against') === 'baseline' ? 'baseline' : 'whole run'"
        @pick="(next) => (range = next)"
        @say="say"
        @show="showTimes"
      />
    </section>
  </div>
  <p v-else class="soft waiting">Loading run…</p>
</template>

<style scoped>
.run {
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
  padding-bottom: 8px;
}
h1 {
  white-space: nowrap;
}
h1 a {
  text-decoration: none;
}
h1 a:hover {
  text-decoration: underline;
}
.facts {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.waiting {
  padding: 40px 16px;
}
.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  padding: 8px 0 4px;
}
.range {
  min-width: 0;
  margin-left: auto;
  overflow: hidden;
  white-space: nowrap;
  padding: 2px 8px;
  background: var(--ochre-light);
}
.hint {
  min-width: 0;
  margin-left: auto;
  overflow: hidden;
  font-size: 12px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.fault {
  color: var(--brick);
}
</style>
