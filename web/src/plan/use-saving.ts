// Committing a plan, and noticing when its file has changed elsewhere.
import { useIntervalFn } from '@vueuse/core'
import { ref, shallowRef, type Ref } from 'vue'
import { api, ApiError, wordsOf } from '../api/client.js'
import type { usePlan } from './use-plan.js'

const LOOK_EVERY_MS = 5000

interface SavingOptions {
  project: Ref<number>
  file: Ref<string>
  state: ReturnType<typeof usePlan>
  run: () => Promise<void>
}

export function useSaving({ project, file, state, run }: SavingOptions) {
  const isOpen = ref(false)
  const thenRuns = ref(false)
  const fault = ref('')
  const isBusy = ref(false)
  /** The text that is there now, where it is not the one that was opened. */
  const theirs = shallowRef<{ text: string; base: string }>()

  function ask(thenRun: boolean): void {
    thenRuns.value = thenRun
    fault.value = ''
    isOpen.value = true
  }

  async function save(message: string): Promise<void> {
    isBusy.value = true
    try {
      await state.save(message)
      isOpen.value = false
      if (thenRuns.value) await run()
    } catch (error) {
      fault.value = wordsOf(error)
      if (error instanceof ApiError && error.problem.code === 'CHANGED' && error.problem.current !== undefined) {
        theirs.value = { text: error.problem.current, base: error.problem.base ?? '' }
        isOpen.value = false
      }
    }
    isBusy.value = false
  }

  useIntervalFn(() => {
    if (document.hidden || state.opened.value === undefined || theirs.value !== undefined) return
    const { base } = state.opened.value
    void api
      .plan(project.value, file.value)
      .then((now) => {
        const isSame = state.opened.value?.base === base && !isBusy.value
        if (isSame && now.base !== base) theirs.value = { text: now.text, base: now.base }
      })
      .catch(() => undefined)
  }, LOOK_EVERY_MS)

  function takeTheirs(): void {
    if (theirs.value === undefined) return
    state.rebase(theirs.value.text, theirs.value.base)
    state.text.value = theirs.value.text
    theirs.value = undefined
  }
  function keepMine(): void {
    if (theirs.value === undefined) return
    state.rebase(theirs.value.text, theirs.value.base)
    theirs.value = undefined
  }

  return { isOpen, thenRuns, fault, isBusy, theirs, ask, save, takeTheirs, keepMine }
}
