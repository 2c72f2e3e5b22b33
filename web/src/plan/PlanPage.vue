<script setup lang="ts">
// One plan: outline, text or form or changes, gates and problems, and the load that it would make.
import { nodeAt } from '@jolt-gate/core'
import { computed, nextTick, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import { useAddress } from '../frame/use-address.js'
import { useUnsaved } from '../frame/use-unsaved.js'
import { useMay } from '../stores/may.js'
import { useSession } from '../stores/session.js'
import ChangesView from './ChangesView.vue'
import ConflictBar from './ConflictBar.vue'
import ConflictDialog from './ConflictDialog.vue'
import GateList from './GateList.vue'
import HistoryView from './HistoryView.vue'
import LoadStrip from './LoadStrip.vue'
import OtherFile from './OtherFile.vue'
import PlanEditor from './PlanEditor.vue'
import PlanForm from './form/PlanForm.vue'
import PlanHead from './PlanHead.vue'
import PlanLaunch from './PlanLaunch.vue'
import PlanOutline from './PlanOutline.vue'
import ProblemList from './ProblemList.vue'
import RenameDialog from './RenameDialog.vue'
import SaveDialog from './SaveDialog.vue'
import { MODES, type Mode } from './modes.js'
import { namedAt, type Named } from './named-at.js'
import { useEdits, type TextHolder } from './use-edits.js'
import { useParts } from './use-parts.js'
import { usePlanKeys } from './use-plan-keys.js'
import { useProblems } from './use-problems.js'
import { draftKey, usePlan } from './use-plan.js'
import { useSaving } from './use-saving.js'

const route = useRoute()
const router = useRouter()
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const keepInAddress = useAddress()
const session = useSession()
const file = computed(() => String(route.query['file'] ?? ''))
const mode = computed<Mode>(() => MODES.find((one) => one === route.query['as']) ?? 'text')
const state = usePlan(project, file)
const { opened, text, view, changedLines, load } = state

const editor = shallowRef<TextHolder>()
const line = ref(1)
const loadFault = ref('')
const runFault = ref('')
const isBusy = ref(false)
const renaming = shallowRef<Named>()
const older = ref<{ text: string; commit: string }>()
const { around, edit, rename, treeNow, pathAt, faults, addRehearsed } = useEdits({
  project,
  mayWrite: computed(() => may.mayWrite),
  file,
  state,
  editor,
  select: pick,
})
const { changeRule, removeGate, addGate, changeLength, changeRate, addPhase, addJourney, addStep } = useParts({
  view,
  edit,
  pathAt,
  select: (path) => {
    const node = nodeAt(treeNow(), path)
    if (node !== undefined) pick(node.line)
  },
})
const { problems, other, pickProblem } = useProblems({
  ...{ file, view, faults, pick },
  // The line goes into the address, too: not while the address is on its way to the form.
  showForm: (to) => void router.replace({ query: { ...route.query, as: 'form' } }).then(() => (line.value = to)),
})
/** The section of the plan in which the selection is. */
const section = computed(() => (view.value === undefined ? '' : String(pathAt(line.value)[0] ?? '')))
const saving = useSaving({ project, file, state, run })

async function open(): Promise<void> {
  loadFault.value = ''
  await load().catch((error: unknown) => (loadFault.value = wordsOf(error)))
  const { rehearsals } = await api.rehearsals(project.value, file.value).catch(() => ({ rehearsals: [] }))
  addRehearsed(rehearsals[0]?.rehearsal.steps ?? [])
  const wanted = Number(route.query['line'])
  if (wanted > 0) setTimeout(() => pick(wanted))
}
onMounted(open)
watch(file, () => void open())
watch(line, (next) => {
  keepInAddress({ line: String(next) })
})
const show = (next: Mode) => void router.replace({ query: { ...route.query, as: next } })

/** By its own tab, a view begins anew: changes are those since the commit. */
function showFresh(next: Mode): void {
  older.value = undefined
  show(next)
}

function pick(to: number, column = 1): void {
  other.value = undefined
  line.value = to
  if (mode.value === 'text') editor.value?.goTo(to, column)
  else if (mode.value !== 'form')
    void router
      .replace({ query: { ...route.query, as: 'text' } })
      .then(() => nextTick(() => editor.value?.goTo(to, column)))
}
/** In the form the selection is the person's; only in the text does it follow the cursor. */
function follow(to: number): void {
  if (mode.value === 'text') line.value = to
}
function compare(before: { text: string; commit: string }): void {
  older.value = before
  show('changes')
}
function restore(version: string): void {
  text.value = version
  show('text')
}

function renameTo(to: string): void {
  if (renaming.value !== undefined) rename(renaming.value.kind, renaming.value.name, to)
  renaming.value = undefined
}

async function run(): Promise<void> {
  if (changedLines.value > 0) {
    saving.ask(true)
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
function rehearse(): void {
  // The text goes along as it is: what is rehearsed need not be committed.
  sessionStorage.setItem(draftKey(project.value, file.value), text.value)
  void router.push({
    name: 'rehearsal',
    params: { project: project.value },
    query: { file: file.value, go: '1' },
  })
}

usePlanKeys({
  save: () => {
    if (changedLines.value > 0) saving.ask(false)
  },
  undo: () => editor.value?.undoLast(),
  redo: () => editor.value?.redoLast(),
  show,
  rehearse,
  rename: () => {
    if (may.mayWrite) renaming.value = namedAt(treeNow(), line.value)
  },
})
/** The plan is gone, and with it what was not committed: that was asked before. */
function leaveDeleted(): void {
  if (opened.value !== undefined) text.value = opened.value.text
  void router.push({ name: 'plans', params: { project: project.value } })
}

useUnsaved({
  what: 'plan',
  isChanged: () => changedLines.value > 0,
  // A rehearsal takes the text along.
  keeps: (to, from) =>
    to.name === 'rehearsal' ||
    (to.name === from.name &&
      ['project', 'file'].every((key) => to.params[key] === from.params[key] && to.query[key] === from.query[key])),
})
</script>

<template>
  <PageError v-if="loadFault" title="The plan could not be opened" :detail="loadFault" @again="open()" />
  <div v-else class="plan">
    <PlanHead
      :project="project"
      :file="file"
      :name="view?.plan.name ?? '…'"
      :opened="opened"
      :changed-lines="changedLines"
      :mode="mode"
      :may-write="may.mayWrite"
      @mode="showFresh"
      @switched="open()"
      @undo="editor?.undoLast()"
      @redo="editor?.redoLast()"
      @commit="saving.ask(false)"
      @deleted="leaveDeleted()"
      @renamed="(to) => router.replace({ query: { ...route.query, file: to } })"
    />
    <ConflictBar
      v-if="saving.theirs.value"
      :is-dirty="changedLines > 0"
      :conflicts="saving.conflicts.value"
      :who="saving.who.value"
      @merge="saving.merge()"
      @compare="compare({ text: saving.theirs.value.text, commit: 'theirs' })"
      @theirs="saving.takeTheirs()"
      @mine="saving.keepMine()"
    />
    <div class="desk">
      <div class="left">
        <PlanOutline
          v-if="view"
          :plan="view.plan"
          :line="line"
          :section="section"
          :may-write="may.mayWrite"
          @pick="pick"
          @elsewhere="(at) => (other = at)"
          @journey="addJourney"
          @step="addStep"
        />
      </div>
      <div class="middle">
        <OtherFile
          v-if="other && opened"
          :file="other.file"
          :line="other.line"
          :text="opened.files[other.file]"
          @close="other = undefined"
        />
        <PlanEditor
          v-if="opened"
          v-show="mode === 'text' && !other"
          ref="editor"
          v-model="text"
          :problems="view?.problems ?? []"
          :file="file"
          :around="around"
          @line="follow"
        />
        <p v-else class="soft reading">Loading plan…</p>
        <PlanForm v-if="opened && mode === 'form' && !other" :line="line" />
        <ChangesView
          v-if="opened && mode === 'changes' && !other"
          :before="older?.text ?? opened.committed ?? ''"
          :after="text"
          :before-label="older ? older.commit.slice(0, 7) : `commit ${opened.commit?.slice(0, 7) ?? ''}`"
          :changes="older ? [] : (view?.changes ?? [])"
          @pick="pick"
        />
        <HistoryView
          v-if="opened && mode === 'history' && !other"
          :project="project"
          :file="file"
          :may-write="may.mayWrite"
          @restore="restore"
          @compare="(version, commit) => compare({ text: version, commit })"
        />
      </div>
      <div class="right">
        <GateList
          v-if="view && opened"
          :plan="view.plan"
          :target="view.target"
          :line="line"
          :observed="opened.history.observed"
          :may-write="may.mayWrite"
          @pick="pick"
          @rule="changeRule"
          @add="addGate"
          @remove="removeGate"
        />
        <ProblemList v-if="view" :problems="problems" :file="file" @pick="pickProblem" />
      </div>
    </div>
    <LoadStrip
      :preview="view?.preview ?? null"
      :plan="view?.plan"
      :journey-ms="opened?.history.journeyMs ?? {}"
      :line="line"
      :section="section"
      :may-write="may.mayWrite"
      @length="changeLength"
      @rate="changeRate"
      @add="addPhase"
      @pick="pick"
    >
      <PlanLaunch
        :view="view"
        :problems="problems"
        :held="opened?.history.held ?? []"
        :is-changed="changedLines > 0"
        :is-busy="isBusy"
        :may-write="may.mayWrite"
        :fault="runFault"
        @rehearse="rehearse()"
        @run="run()"
      />
    </LoadStrip>
    <RenameDialog :named="renaming" @rename="renameTo" @close="renaming = undefined" />
    <ConflictDialog
      v-model="saving.isMerging.value"
      :parts="saving.parts.value"
      :who="saving.who.value"
      @merge="saving.mergeBoth"
    />
    <SaveDialog
      v-model="saving.isOpen.value"
      :file="file"
      :lines="changedLines"
      :changes="view?.changes ?? []"
      :who="session.person?.name ?? ''"
      :then-run="saving.thenRuns.value"
      :fault="saving.fault.value"
      :is-protected="saving.isProtected.value"
      :is-busy="saving.isBusy.value"
      @save="saving.save"
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
.desk {
  display: grid;
  flex: 1;
  grid-template-columns: 250px minmax(0, 1fr) 300px;
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
  display: flex;
  flex-direction: column;
  border-left: 1px solid var(--rule);
  overflow: hidden;
}
/* Problems stay in sight, however many gates there are. */
.right > :first-child {
  flex: 1;
  min-height: 80px;
  padding: 12px 14px;
  overflow: auto;
}
.right > :last-child {
  flex: none;
  max-height: 45%;
  padding: 8px 14px 12px;
  overflow: auto;
  border-top: 1px solid var(--rule);
}
.reading {
  padding: 16px;
}
</style>
