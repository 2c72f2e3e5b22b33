// Committing a plan, and noticing when its file has changed elsewhere.
import { useQuery } from '@tanstack/vue-query'
import { merge } from 'node-diff3'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiError, wordsOf } from '../api/client.js'
import { useBranchLookedAt } from '../stores/branches.js'
import type { usePlan } from './use-plan.js'

interface SavingOptions {
  project: Ref<number>
  file: Ref<string>
  state: ReturnType<typeof usePlan>
  run: () => Promise<void>
}

// eslint-disable-next-line max-lines-per-function -- its parts share what they keep
export function useSaving({ project, file, state, run }: SavingOptions) {
  const router = useRouter()
  const isOpen = ref(false)
  const thenRuns = ref(false)
  const fault = ref('')
  const isBusy = ref(false)
  /** Whether the branch that is shown takes no commits: another one is asked for. */
  const isProtected = ref(false)
  const looked = useBranchLookedAt()
  /** The text that is there now, where it is not the one that was opened. */
  const theirs = shallowRef<{ text: string; base: string }>()

  function ask(thenRun: boolean): void {
    thenRuns.value = thenRun
    fault.value = ''
    isOpen.value = true
  }

  /** @param branch - a new one, which the commit goes to and the page then shows */
  async function save(message: string, branch = ''): Promise<void> {
    isBusy.value = true
    try {
      // Made already where the save alone had failed.
      if (branch !== '' && looked.of(project.value) !== branch) {
        await api.newBranch(project.value, branch)
        looked.look(project.value, branch)
      }
      await state.save(message)
      if (branch !== '') await router.replace({ query: { ...router.currentRoute.value.query, branch } })
      isProtected.value = false
      isOpen.value = false
      if (thenRuns.value) await run()
    } catch (error) {
      fault.value = wordsOf(error)
      if (error instanceof ApiError && error.problem.code === 'PROTECTED') isProtected.value = true
      if (error instanceof ApiError && error.problem.code === 'CHANGED' && error.problem.current !== undefined) {
        theirs.value = { text: error.problem.current, base: error.problem.base ?? '' }
        isOpen.value = false
      }
    }
    isBusy.value = false
  }

  const { data: onServer } = useQuery({
    queryKey: ['plan', project, file],
    // What the page was over when it asked: a save since then makes the answer an old one.
    queryFn: async () => ({ over: state.opened.value?.base, now: await api.plan(project.value, file.value) }),
    staleTime: 0,
    gcTime: 0,
    enabled: computed(() => state.opened.value !== undefined && theirs.value === undefined),
  })
  watch(onServer, (answer) => {
    if (answer === undefined || isBusy.value || answer.over !== state.opened.value?.base) return
    const { text, base } = answer.now
    if (base !== answer.over) theirs.value = { text, base }
  })

  function takeTheirs(): void {
    if (theirs.value === undefined) return
    state.rebase(theirs.value.text, theirs.value.base)
    state.text.value = theirs.value.text
    theirs.value = undefined
  }
  /** Both changes in one text, where they touch no line in common; the text that was opened is what both began with. */
  const merged = computed(() => {
    const opened = state.opened.value
    if (theirs.value === undefined || opened === undefined || state.text.value === opened.text) return undefined
    const [mine, before, their] = [state.text.value, opened.text, theirs.value.text].map((text) => text.split('\n'))
    const { conflict, result } = merge(mine ?? [], before ?? [], their ?? [])
    return conflict ? undefined : result.join('\n')
  })
  function mergeBoth(): void {
    const both = merged.value
    if (theirs.value === undefined || both === undefined) return
    state.rebase(theirs.value.text, theirs.value.base)
    state.text.value = both
    theirs.value = undefined
  }
  function keepMine(): void {
    if (theirs.value === undefined) return
    state.rebase(theirs.value.text, theirs.value.base)
    theirs.value = undefined
  }

  return { isProtected, isOpen, thenRuns, fault, isBusy, theirs, ask, save, takeTheirs, keepMine, merged, mergeBoth }
}
