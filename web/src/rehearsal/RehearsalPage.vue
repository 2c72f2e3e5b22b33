<script setup lang="ts">
// A rehearsal: one user, one iteration, step by step as it happens, with every exchange in full.
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api } from '../api/client.js'
import type { RehearsedStep } from '@jolt-gate/core'
import { draftKey } from '../plan/use-plan.js'
import { useMay } from '../stores/may.js'
import { counted, clock } from '../text/figures.js'
import ExchangeView from './ExchangeView.vue'
import { useRehearsal } from './use-rehearsal.js'

const route = useRoute()
const project = computed(() => Number(route.params['project']))
const file = computed(() => String(route.query['file'] ?? ''))
const draft = sessionStorage.getItem(draftKey(project.value, file.value))
const target = ref('')
const targets = ref<string[]>([])
const { steps, before, state, fault, canResume, start, stop, loadBefore } = useRehearsal({
  project,
  file,
  draft,
  target,
})
const may = useMay(() => project.value)
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

onMounted(async () => {
  const listed = await api.targets(project.value).catch(() => ({ targets: [] }))
  targets.value = listed.targets.map(({ name }) => name)
  await loadBefore()
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
      <span v-if="targets.length > 0" class="soft against">
        against
        <ElSelect v-model="target" size="small" aria-label="Target" :empty-values="[undefined]">
          <ElOption value="" label="the plan’s own target" />
          <ElOption v-for="one in targets" :key="one" :value="one" />
        </ElSelect>
      </span>
      <span class="outcome" role="status">
        <template v-if="state === 'going'">{{ steps.length }} steps so far …</template>
        <template v-else-if="state === 'passed'"
          ><b class="held">Passed</b>: {{ counted(steps.length, 'step') }} in
          {{ total < 1000 ? `${Math.round(total)} ms` : clock(total / 1000) }}</template
        >
        <template v-else-if="state === 'failed'"
          ><b class="fault">Failed</b>: {{ failed }} of {{ steps.length }} steps</template
        >
        <span v-else-if="fault" class="fault" role="alert">{{ fault }}</span>
      </span>
      <ElButton v-if="state === 'going'" @click="stop()">Stop</ElButton>
      <ElButton v-else-if="may.mayWrite" type="primary" @click="rehearseAgain()">Rehearse again</ElButton>
      <span v-else class="soft">Only authors and administrators rehearse.</span>
    </div>
    <div class="desk">
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
        @again="start(chosen)"
      />
      <p v-else class="soft waiting">{{ fault === '' ? 'Waiting for the first step …' : '' }}</p>
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
