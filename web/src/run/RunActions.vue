<script setup lang="ts">
// What a person can do with a run: stop it, run it again, take its reports, keep it, hold it beside another.
import type { RunDetail, RunPart, RunState } from '@jolt-gate/core/api'
import { ArrowDown } from '@element-plus/icons-vue'
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElIcon } from 'element-plus'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import { useMay } from '../stores/may.js'

const props = defineProps<{ run: RunDetail; state: RunState; part: RunPart | null; isConnected: boolean }>()
const emit = defineEmits<{ stop: []; fault: [words: string]; changed: []; describe: []; mark: []; share: [] }>()
const router = useRouter()
const may = useMay(() => props.run.projectId)
const isStopping = ref(false)
const isGoing = computed(() => props.state !== 'ended')
const mayKeep = computed(
  () => may.mayWrite && !isGoing.value && (props.run.verdict === 'open' || props.run.verdict === 'shut'),
)
const FILES = [
  { file: 'result.json', label: 'result.json' },
  { file: 'junit.xml', label: 'JUnit XML' },
  { file: 'report.md', label: 'Markdown' },
  { file: 'report.html', label: 'HTML' },
  { file: 'series.csv', label: 'CSV by second' },
]
/** Saves a report beside the page, which stays where it is. */
function download(file: string): void {
  const link = document.createElement('a')
  link.href = `/api/runs/${props.run.id}/${file}`
  link.download = `run-${String(props.run.number)}-${file}`
  link.click()
}

async function doing(task: () => Promise<unknown>): Promise<void> {
  try {
    await task()
  } catch (error) {
    emit('fault', wordsOf(error))
  }
}
function stop(): void {
  isStopping.value = true
  emit('stop')
}
const again = () =>
  doing(async () => {
    const { projectId, planFile } = props.run
    const next = await api.startRun(projectId, planFile)
    await router.push({ name: 'run', params: { project: projectId, run: next.id } })
  })
const keep = (isKept: boolean) =>
  doing(async () => {
    await (isKept ? api.keepBaseline(props.run.id) : api.removeBaseline(props.run.id))
    emit('changed')
  })

function compareWith(other: string): Promise<unknown> {
  const { projectId, id } = props.run
  return router.push({ name: 'compare', params: { project: projectId }, query: { runs: `${other},${id}` } })
}
/** The run of the same plan and target that went before this one. */
const compareWithBefore = () =>
  doing(async () => {
    const { projectId, planFile, targetName, number } = props.run
    const { runs } = await api.runs(projectId, { plan: planFile, target: targetName, before: number })
    const before = runs.find((one) => one.state === 'ended' && one.requests !== null)
    if (before === undefined) emit('fault', 'No run of this plan against this target went before it.')
    else await compareWith(before.id)
  })
type Act =
  'describe' | 'mark' | 'share' | 'keep' | 'keep no longer' | 'baseline' | 'before' | 'trend' | `file ${string}`
function act(what: Act): void {
  const { run } = props
  if (what === 'keep' || what === 'keep no longer') void keep(what === 'keep')
  else if (what === 'baseline' && run.result?.baseline != null) void compareWith(run.result.baseline.id)
  else if (what === 'before') void compareWithBefore()
  else if (what === 'trend')
    void router.push({
      name: 'trend',
      params: { project: run.projectId },
      query: { plan: run.planFile, target: run.targetName },
    })
  else if (what === 'describe') emit('describe')
  else if (what === 'mark') emit('mark')
  else if (what === 'share') emit('share')
  else if (what.startsWith('file ')) download(what.slice(5))
}
</script>

<template>
  <span class="buttons">
    <span v-if="!isConnected" class="soft">reconnecting …</span>
    <span v-if="run.keptBy" class="kept" :title="`pinned by ${run.keptBy}`">Baseline</span>
    <ElButton v-if="isGoing && may.mayWrite && state === 'running' && part === 'load'" @click="emit('mark')"
      >Mark…</ElButton
    >
    <ElButton v-if="isGoing && may.mayWrite" @click="emit('share')">Share…</ElButton>
    <ElButton v-if="isGoing && may.mayWrite" :loading="isStopping" @click="stop()">Stop</ElButton>
    <template v-if="!isGoing">
      <ElDropdown v-if="run.result" trigger="click" @command="act">
        <ElButton>
          More <ElIcon class="arrow"><ArrowDown /></ElIcon>
        </ElButton>
        <template #dropdown>
          <ElDropdownMenu>
            <ElDropdownItem v-if="run.result.baseline" command="baseline">Compare with its baseline</ElDropdownItem>
            <ElDropdownItem command="before">Compare with the run before</ElDropdownItem>
            <ElDropdownItem command="trend">Show the trend</ElDropdownItem>
            <ElDropdownItem v-if="mayKeep && !run.keptBy" command="keep" divided>Pin as baseline</ElDropdownItem>
            <ElDropdownItem v-else-if="mayKeep" command="keep no longer" divided>Remove as baseline</ElDropdownItem>
            <ElDropdownItem v-if="may.mayWrite" command="describe">Note and labels…</ElDropdownItem>
            <ElDropdownItem v-if="may.mayWrite" command="mark">Marks…</ElDropdownItem>
            <ElDropdownItem v-if="may.mayWrite" command="share">Share…</ElDropdownItem>
            <ElDropdownItem
              v-for="({ file, label }, index) in FILES"
              :key="file"
              :command="`file ${file}`"
              :divided="index === 0"
              >{{ label }}</ElDropdownItem
            >
          </ElDropdownMenu>
        </template>
      </ElDropdown>
      <ElButton v-if="may.mayWrite" type="primary" @click="again()">Run again</ElButton>
    </template>
  </span>
</template>

<style scoped>
.buttons {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-left: auto;
  white-space: nowrap;
}
.kept {
  padding: 1px 8px;
  border: 1px solid var(--lake);
  color: var(--lake);
  font-size: 12px;
}
.arrow {
  margin-left: 6px;
}
</style>
