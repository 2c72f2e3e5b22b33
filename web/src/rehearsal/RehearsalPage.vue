<script setup lang="ts">
// A rehearsal: one user, one iteration, step by step as it happens, with every exchange in full, and the step that made
// it to be changed beside it.
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useNow } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import type { RehearsedStep } from '@jolt-gate/core'
import PlanForm from '../plan/form/PlanForm.vue'
import ResponsePicker from '../plan/form/ResponsePicker.vue'
import { parseJson } from '@jolt-gate/core'
import { useMay } from '../stores/may.js'
import { ago, counted, clock } from '../text/figures.js'
import ExchangeView from './ExchangeView.vue'
import { useRehearsal } from './use-rehearsal.js'
import { useWorkbench } from './use-workbench.js'

const route = useRoute()
const router = useRouter()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const file = computed(() => String(route.query['file'] ?? ''))
const target = ref('')
const targets = ref<string[]>([])
const may = useMay(() => project.value)
const bench = useWorkbench({ project, file, mayWrite: computed(() => may.mayWrite) })
const { draft, changedLines, view } = bench
const { steps, before, state, fault, madeAt, canResume, start, stop, loadBefore, showLast } = useRehearsal({
  ...{ project, file, draft, target },
})
watch(steps, (now) => bench.addRehearsed(now))
const isEditing = ref(false)
/** The step that the person chose; until then it is the first that failed. */
const picked = ref<number>()
const chosen = computed(
  () =>
    picked.value ??
    Math.max(
      0,
      steps.value.findIndex(({ failure }) => failure !== null),
    ),
)
const step = computed(() => steps.value[chosen.value])
/** Where it is written: here, or in a file of shared steps. */
const place = computed(() => (step.value === undefined ? undefined : bench.placeOf(step.value)))
const isHere = computed(() => place.value?.file === file.value)
const isJson = computed(() => parseJson(step.value?.response?.body ?? '') !== undefined)
const errors = computed(
  () =>
    [...(view.value?.problems ?? []), ...bench.faults.problems.value].filter(({ severity }) => severity === 'error')
      .length,
)

onMounted(async () => {
  const listed = await api.targets(project.value).catch(() => ({ targets: [] }))
  targets.value = listed.targets.map(({ name }) => name)
  await Promise.all([loadBefore(), bench.load().catch((problem: unknown) => (fault.value = wordsOf(problem)))])
  // Only who asks for a rehearsal sends anything: a page that is read again shows what was.
  if (route.query['go'] === undefined) {
    showLast()
    return
  }
  const { file: plan } = route.query
  await router.replace({ query: { file: plan } })
  if (may.mayWrite) await start()
})
onBeforeUnmount(stop)
function rehearseAgain(): void {
  picked.value = undefined
  void start()
}

const isOf = (stage: string, index: number) => index === 0 || steps.value[index - 1]?.stage !== stage
const failed = computed(() => steps.value.filter(({ failure }) => failure !== null).length)
const earlier = (one: RehearsedStep) =>
  before.value.find(({ step: name, stage }) => name === one.step && stage === one.stage)
function differs(one: RehearsedStep): string {
  const old = earlier(one)
  if (old === undefined) return before.value.length === 0 ? '' : 'new'
  if ((old.failure === null) !== (one.failure === null)) return one.failure === null ? 'passes now' : 'passed before'
  return old.response?.status !== one.response?.status ? `was ${String(old.response?.status ?? 'nothing')}` : ''
}
const total = computed(() => steps.value.reduce((sum, { timing }) => sum + timing.total, 0))
function press(event: KeyboardEvent): void {
  if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return
  event.preventDefault()
  picked.value = Math.min(steps.value.length - 1, Math.max(0, chosen.value + (event.key === 'ArrowDown' ? 1 : -1)))
}
</script>

<template>
  <div class="rehearsal">
    <div class="head">
      <h1>Rehearsal</h1>
      <RouterLink class="soft" :to="{ name: 'plan', params: { project }, query: { file } }"
        >back to {{ file }}</RouterLink
      >
      <span v-if="changedLines > 0" class="changed"
        >{{ counted(changedLines, 'line') }} changed, not committed{{
          errors > 0 ? `: ${counted(errors, 'problem')} to fix` : ''
        }}</span
      >
      <span v-if="targets.length > 0" class="soft against">
        against
        <ElSelect v-model="target" size="small" aria-label="Target" :empty-values="[undefined]">
          <ElOption value="" label="the plan’s own target" />
          <ElOption v-for="one in targets" :key="one" :value="one" />
        </ElSelect>
      </span>
      <span class="outcome" role="status">
        <span v-if="madeAt" class="soft">{{ ago(madeAt, now.getTime()) }}: </span>
        <template v-if="state === 'going'">{{ steps.length }} steps so far …</template>
        <template v-else-if="state === 'passed'"
          ><b class="held">Passed</b>: {{ counted(steps.length, 'step') }} in
          {{ total < 1000 ? `${Math.round(total)} ms` : clock(total / 1000) }}</template
        >
        <template v-else-if="state === 'failed'"
          ><b class="fault">Failed</b>: {{ failed }} of {{ steps.length }} steps</template
        >
        <template v-else-if="state === 'ready' && steps.length === 0">Not rehearsed yet</template>
        <span v-if="fault" class="fault" role="alert">{{ fault }}</span>
      </span>
      <ElButton v-if="state === 'going'" @click="stop()">Stop</ElButton>
      <ElButton v-else-if="may.mayWrite" type="primary" :disabled="errors > 0" @click="rehearseAgain()">{{
        steps.length === 0 ? 'Rehearse' : 'Rehearse again'
      }}</ElButton>
      <span v-else class="soft">Only authors and administrators rehearse.</span>
    </div>
    <div class="desk" :class="{ three: step && isEditing }">
      <ol class="steps" tabindex="0" aria-label="Steps" @keydown="press">
        <template v-for="(one, index) in steps" :key="index">
          <li v-if="isOf(one.stage, index)" class="stage">{{ one.stage }}</li>
          <li class="step" :class="{ here: index === chosen, failed: one.failure }" @click="picked = index">
            <span class="number">{{ index + 1 }}</span>
            <span class="name">{{ one.step }}</span>
            <span class="differs">{{ differs(one) }}</span>
            <span class="status">{{ one.response?.status ?? '' }}</span>
            <span class="time"
              >{{ one.timing.total < 10 ? one.timing.total.toFixed(1) : Math.round(one.timing.total) }} ms</span
            >
          </li>
        </template>
        <li v-if="state === 'going'" class="soft going">…</li>
      </ol>
      <ExchangeView
        v-if="step"
        :step="step"
        :before="earlier(step)"
        :can-resume="canResume && state !== 'going' && step.stage !== 'setup' && step.stage !== 'teardown'"
        :may-edit="may.mayWrite"
        :is-editing="isEditing"
        @again="(how) => start(chosen, how)"
        @edit="isEditing = !isEditing"
      >
        <ResponsePicker v-if="isHere && isJson && place && may.mayWrite" :step="step.step" :path="place.path" is-bare />
      </ExchangeView>
      <p v-else class="soft waiting">{{ state === 'going' ? 'Waiting for the first step …' : '' }}</p>
      <section v-if="step && isEditing" class="editing" aria-label="The step in the plan">
        <PlanForm v-if="place && isHere" :line="place.line" has-no-response />
        <p v-else class="soft waiting">
          {{
            place === undefined
              ? 'The plan has no step of this name any more.'
              : `This step is shared: it stands in ${place.file}, line ${String(place.line)}.`
          }}
        </p>
      </section>
    </div>
  </div>
</template>

<style scoped>
.against :deep(.el-select) {
  width: 190px;
}
.rehearsal {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.head {
  display: flex;
  flex: none;
  gap: 16px;
  align-items: center;
  height: 46px;
  padding: 0 16px;
  border-bottom: 1px solid var(--rule);
}
.outcome {
  margin-left: auto;
}
.held {
  color: var(--lake);
}
.desk {
  display: grid;
  flex: 1;
  grid-template-columns: 400px minmax(0, 1fr);
  min-height: 0;
}
.three {
  grid-template-columns: 270px minmax(0, 1fr) minmax(0, 1fr);
}
.editing {
  min-height: 0;
  overflow: auto;
  border-left: 1px solid var(--rule);
}
.changed {
  color: var(--ochre-text);
}
.steps {
  margin: 0;
  padding: 8px 0;
  overflow: auto;
  border-right: 1px solid var(--rule);
  list-style: none;
}
.stage {
  padding: 12px 16px 4px;
  font-weight: 650;
}
.step {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr) auto 36px 64px;
  gap: 8px;
  padding: 5px 16px;
  cursor: pointer;
}
.step:hover {
  background: var(--sheet);
}
.here {
  background: var(--lake-light) !important;
  box-shadow: inset 3px 0 var(--lake);
}
.number,
.time {
  color: var(--soft);
  text-align: right;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.differs {
  color: var(--ochre-text);
  font-size: 12px;
}
.status {
  text-align: right;
}
.failed .name,
.failed .status {
  color: var(--brick);
  font-weight: 600;
}
.going,
.waiting {
  padding: 8px 16px;
}
</style>
