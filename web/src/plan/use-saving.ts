// Committing a plan, and noticing when its file has changed elsewhere.
import { useQuery } from '@tanstack/vue-query'
import { diff3Merge } from 'node-diff3'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiError, wordsOf } from '../api/client.js'
import { useBranchLookedAt } from '../stores/branches.js'
import { ago } from '../text/figures.js'
import type { usePlan } from './use-plan.js'

/** A stretch of both texts: alike or changed on one side alone, or changed on both. */
export type MergePart = { kind: 'same'; lines: string[] } | { kind: 'both'; mine: string[]; theirs: string[] }

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
  /** Both changes in one text, in parts: the text that was opened is what both began with. */
  const parts = computed((): MergePart[] => {
    const opened = state.opened.value
    if (theirs.value === undefined || opened === undefined) return []
    const [mine, before, their] = [state.text.value, opened.text, theirs.value.text].map((text) => text.split('\n'))
    return diff3Merge(mine ?? [], before ?? [], their ?? []).map((region) =>
      region.conflict === undefined
        ? { kind: 'same', lines: region.ok ?? [] }
        : { kind: 'both', mine: region.conflict.a, theirs: region.conflict.b },
    )
  })
  const conflicts = computed(() => parts.value.filter(({ kind }) => kind === 'both').length)
  /** Who changed it last there, and when. */
  const { data: history } = useQuery({
    queryKey: ['plan history', project, file, computed(() => theirs.value?.base)],
    queryFn: () => api.history(project.value, file.value),
    enabled: computed(() => theirs.value !== undefined),
  })
  let readAt = Date.now()
  watch(
    () => state.opened.value?.base,
    () => (readAt = Date.now()),
  )
  /** Undefined for a change on disk that is no commit. */
  const changedBy = computed(() => {
    const last = history.value?.commits[0]
    return last !== undefined && Date.parse(last.at) >= readAt - 1000 ? last : undefined
  })
  const who = computed(() =>
    changedBy.value === undefined ? '' : `${changedBy.value.who}, ${ago(changedBy.value.at, Date.now())}:`,
  )
  /** Whether the places that both changed are asked about. */
  const isMerging = ref(false)
  function merge(): void {
    if (conflicts.value === 0) mergeBoth([])
    else isMerging.value = true
  }
  /** @param chosen - what each place that both changed becomes, in order */
  function mergeBoth(chosen: readonly (readonly string[])[]): void {
    if (theirs.value === undefined) return
    let place = 0
    const both = parts.value.flatMap((part) => (part.kind === 'same' ? part.lines : (chosen[place++] ?? part.mine)))
    state.rebase(theirs.value.text, theirs.value.base)
    state.text.value = both.join('\n')
    theirs.value = undefined
  }
  function keepMine(): void {
    if (theirs.value === undefined) return
    state.rebase(theirs.value.text, theirs.value.base)
    theirs.value = undefined
  }

  return {
    isProtected,
    isOpen,
    thenRuns,
    fault,
    isBusy,
    theirs,
    ask,
    save,
    takeTheirs,
    keepMine,
    parts,
    conflicts,
    who,
    isMerging,
    merge,
    mergeBoth,
  }
}
