// The plan that is open: its text, what was read of it, and saving.
import { computed, onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'
import { api } from '../api/client.js'
import type { PlanText } from '@jolt-gate/core/api'
import type { PlanView, ReadRequest } from './plan.worker.js'
import PlanWorker from './plan.worker.js?worker'

const READ_AFTER_MS = 120

/** Where a text that is not committed waits while its page is left for a rehearsal. */
export const draftKey = (project: number, file: string) => `jolt-gate draft ${String(project)} ${file}`

// eslint-disable-next-line max-lines-per-function -- its parts share what they keep
export function usePlan(project: Ref<number>, file: Ref<string>) {
  const opened = shallowRef<PlanText>()
  const text = ref('')
  const view = shallowRef<PlanView>()
  const worker = new PlanWorker()
  let asked = 0
  let timer: ReturnType<typeof setTimeout> | undefined

  worker.onmessage = ({ data }: MessageEvent<PlanView>) => {
    if (data.number === asked) view.value = data
  }
  onBeforeUnmount(() => {
    clearTimeout(timer)
    worker.terminate()
  })

  function read(): void {
    if (opened.value === undefined) return
    const request: ReadRequest = {
      number: ++asked,
      file: opened.value.file,
      text: text.value,
      files: opened.value.files,
      journeyMs: opened.value.history.journeyMs,
      committed: opened.value.committed,
    }
    worker.postMessage(request)
  }

  watch(text, () => {
    clearTimeout(timer)
    timer = setTimeout(read, READ_AFTER_MS)
  })

  async function load(): Promise<void> {
    const plan = await api.plan(project.value, file.value)
    opened.value = plan
    // What was rehearsed uncommitted is still what the person works on.
    const draft = sessionStorage.getItem(draftKey(project.value, file.value))
    sessionStorage.removeItem(draftKey(project.value, file.value))
    text.value = draft ?? plan.text
    read()
  }

  /** Saves as a commit; the text that was saved is then the one to compare with. */
  async function save(message: string): Promise<void> {
    const before = opened.value
    if (before === undefined) return
    const saved = text.value
    const answer = await api.savePlan(project.value, file.value, { text: saved, message, base: before.base })
    opened.value = { ...before, text: saved, committed: saved, ...answer }
    read()
  }

  /** The files around the plan, anew: one of them has been added or changed from here. */
  async function readFiles(): Promise<void> {
    const before = opened.value
    if (before === undefined) return
    const { files, commit } = await api.plan(project.value, file.value)
    opened.value = { ...before, files, commit }
    read()
  }

  /** Somebody else's text is now the one that a save is made over; ours stays in the editor. */
  function rebase(current: string, base: string): void {
    if (opened.value !== undefined) opened.value = { ...opened.value, text: current, committed: current, base }
    read()
  }

  const changedLines = computed(() => {
    if (opened.value === undefined || opened.value.text === text.value) return 0
    const before = new Set(opened.value.text.split('\n'))
    return Math.max(1, text.value.split('\n').filter((line) => !before.has(line)).length)
  })

  return { opened, text, view, changedLines, load, save, rebase, readFiles }
}
