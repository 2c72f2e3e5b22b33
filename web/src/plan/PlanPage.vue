<script setup lang="ts">
// One plan: outline, text, gates and problems, and the load that it would make.
import { useEventListener } from '@vueuse/core'
import { ElButton } from 'element-plus'
import { growthWarning, type Gate, type Problem } from '@jolt-gate/core'
import { computed, onMounted, ref, watch } from 'vue'
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import GateList from './GateList.vue'
import LoadStrip from './LoadStrip.vue'
import PlanEditor from './PlanEditor.vue'
import PlanOutline from './PlanOutline.vue'
import ProblemList from './ProblemList.vue'
import SaveDialog from './SaveDialog.vue'
import { usePlan } from './use-plan.js'

const route = useRoute()
const router = useRouter()
const project = computed(() => Number(route.params['project']))
const file = computed(() => String(route.query['file'] ?? ''))
const { opened, text, view, changedLines, load, save } = usePlan(project, file)

const editor = ref<InstanceType<typeof PlanEditor>>()
const line = ref(1)
const loadFault = ref('')
const isSaving = ref(false)
const isSaveOpen = ref(false)
const runsAfterSave = ref(false)
const saveFault = ref('')
const runFault = ref('')
const isBusy = ref(false)
const errors = computed(() => view.value?.problems.filter((problem) => problem.severity === 'error').length ?? 0)

/** A larger load before a smaller one has held is worth a word, not more. */
const growth = computed(() => {
  const preview = view.value?.preview
  const target = view.value?.target?.name
  if (!preview || target === undefined || opened.value === undefined) return undefined
  return growthWarning(
    preview,
    opened.value.history.held.filter((one) => one.target === target),
  )
})

async function open(): Promise<void> {
  loadFault.value = ''
  await load().catch((error: unknown) => (loadFault.value = wordsOf(error)))
  const wanted = Number(route.query['line'])
  if (wanted > 0) setTimeout(() => editor.value?.goTo(wanted))
}
onMounted(open)
watch(file, () => void open())
watch(line, (next) => void router.replace({ query: { ...route.query, line: String(next) } }))

function pick(to: number, column = 1): void {
  editor.value?.goTo(to, column)
}
function pickProblem(problem: Problem): void {
  if (problem.file === file.value) pick(problem.line, problem.column)
}
function changeLimit(gate: Gate, before: string, after: string): void {
  editor.value?.replaceOnLine(gate.at.line, before, after)
  pick(gate.at.line)
}

function askToSave(thenRun: boolean): void {
  runsAfterSave.value = thenRun
  saveFault.value = ''
  isSaveOpen.value = true
}

async function saveNow(message: string, author: { name: string; email: string }): Promise<void> {
  isSaving.value = true
  try {
    await save(message, author)
    isSaveOpen.value = false
    if (runsAfterSave.value) await run()
  } catch (error) {
    saveFault.value = wordsOf(error)
  }
  isSaving.value = false
}

async function run(): Promise<void> {
  if (changedLines.value > 0) {
    askToSave(true)
    return
  }
  runFault.value = ''
  isBusy.value = true
  try {
    const started = await api.startRun(project.value, file.value)
    await router.push({ name: 'run', params: { project: project.value, run: started.id } })
  } catch (error) {
    runFault.value = wordsOf(error)
  }
  isBusy.value = false
}

useEventListener('keydown', (event) => {
  if (!(event.ctrlKey || event.metaKey) || event.key !== 's') return
  event.preventDefault()
  if (changedLines.value > 0) askToSave(false)
})
useEventListener('beforeunload', (event) => {
  if (changedLines.value > 0) event.preventDefault()
})
onBeforeRouteLeave(
  () =>
    changedLines.value === 0 ||
    window.confirm('Your change is not committed yet, and would be lost. Leave all the same?'),
)
</script>

<template>
  <PageError v-if="loadFault" title="The plan could not be opened" :detail="loadFault" @again="open()" />
  <div v-else class="plan">
    <div class="head">
      <h1>{{ view?.plan.name ?? '…' }}</h1>
      <code class="soft">{{ file }}</code>
      <span v-if="opened" class="soft">
        branch <b>{{ opened.branch ?? 'none' }}</b> ·
        <template v-if="changedLines > 0"
          >{{ changedLines }} {{ changedLines === 1 ? 'line' : 'lines' }} changed since
          {{ opened.commit?.slice(0, 7) }}</template
        >
        <template v-else>as in {{ opened.commit?.slice(0, 7) ?? 'no commit' }}</template>
      </span>
      <ElButton class="commit" :disabled="changedLines === 0" @click="askToSave(false)">Commit…</ElButton>
    </div>
    <div class="desk">
      <div class="left">
        <PlanOutline v-if="view" :plan="view.plan" :line="line" @pick="pick" />
      </div>
      <div class="middle">
        <PlanEditor
          v-if="opened"
          ref="editor"
          v-model="text"
          :problems="view?.problems ?? []"
          :file="file"
          @line="line = $event"
        />
        <p v-else class="soft reading">reading the plan …</p>
      </div>
      <div class="right">
        <GateList v-if="view" :gates="view.plan.gates" :line="line" @pick="pick" @limit="changeLimit" />
        <ProblemList v-if="view" :problems="view.problems" :file="file" @pick="pickProblem" />
      </div>
    </div>
    <LoadStrip :preview="view?.preview ?? null">
      <p class="against">
        against <b>{{ view?.target?.name ?? '…' }}</b>
        <span v-if="view?.target && view.target.name !== view.target.origin" class="soft">{{
          view.target.origin
        }}</span>
      </p>
      <p class="soft">on loopback, may be loaded freely</p>
      <p v-if="growth" class="growth">{{ growth }}</p>
      <ElButton
        class="run"
        type="primary"
        :loading="isBusy"
        :disabled="view === undefined || errors > 0"
        @click="run()"
      >
        {{ changedLines > 0 ? 'Commit and run…' : 'Run' }}
      </ElButton>
      <p v-if="errors > 0" class="fault">{{ errors }} {{ errors === 1 ? 'problem' : 'problems' }} to mend first</p>
      <p v-if="runFault" class="fault" role="alert">{{ runFault }}</p>
    </LoadStrip>
    <SaveDialog
      v-model="isSaveOpen"
      :file="file"
      :lines="changedLines"
      :then-run="runsAfterSave"
      :fault="saveFault"
      :is-busy="isSaving"
      @save="saveNow"
    />
  </div>
</template>

<style scoped>
.plan {
  display: flex;
  flex-direction: column;
  height: 100%;
  min-height: 620px;
}
.head {
  display: flex;
  flex: none;
  gap: 14px;
  align-items: center;
  height: 46px;
  padding: 0 16px;
  border-bottom: 1px solid var(--rule);
  white-space: nowrap;
}
.commit {
  margin-left: auto;
}
.desk {
  display: grid;
  flex: 1;
  grid-template-columns: 270px minmax(0, 1fr) 300px;
  min-height: 0;
  background: var(--sheet);
}
.left,
.right {
  min-height: 0;
  overflow: auto;
}
.left {
  border-right: 1px solid var(--rule);
}
.middle {
  min-height: 0;
}
.right {
  padding: 12px 14px;
  border-left: 1px solid var(--rule);
}
.reading {
  padding: 16px;
}
.against {
  padding-bottom: 2px;
}
.against .soft {
  margin-left: 6px;
}
.run {
  width: 100%;
  height: 36px;
  margin-top: 12px;
}
.growth {
  padding-top: 6px;
  color: var(--ochre-text);
  font-size: 12px;
  line-height: 1.3;
}
.fault {
  padding-top: 6px;
  color: var(--brick);
}
</style>
