// The plan that is rehearsed, to be changed beside its answers: one text, which goes along to the plan and back.
import {
  allSteps,
  applyChanges,
  pathOfLine,
  treeOf,
  type Path,
  type RehearsedStep,
  type TextChange,
} from '@jolt-gate/core'
import { computed, shallowRef, watch, type Ref } from 'vue'
import { partOf } from '../plan/form/use-form.js'
import { useEdits, type TextHolder } from '../plan/use-edits.js'
import { draftKey, usePlan } from '../plan/use-plan.js'

/** Where a step of a rehearsal is written. */
export interface StepPlace {
  file: string
  line: number
  path: Path
}

interface WorkbenchOptions {
  project: Ref<number>
  file: Ref<string>
  mayWrite: Ref<boolean>
}

export function useWorkbench({ project, file, mayWrite }: WorkbenchOptions) {
  const state = usePlan(project, file)
  const { opened, text, view, changedLines } = state
  const editor = shallowRef<TextHolder>({
    goTo: () => undefined,
    change: (changes: readonly TextChange[]) => {
      text.value = applyChanges(text.value, changes)
    },
    current: () => text.value,
    undoLast: () => undefined,
    redoLast: () => undefined,
  })
  const { faults, addRehearsed } = useEdits({ project, mayWrite, file, state, editor, select: () => undefined })
  /** What is not committed is what is rehearsed, and waits for the plan's own page. */
  const draft = computed(() => (changedLines.value === 0 ? null : text.value))
  watch(draft, (now) => {
    if (opened.value === undefined) return
    if (now === null) sessionStorage.removeItem(draftKey(project.value, file.value))
    else sessionStorage.setItem(draftKey(project.value, file.value), now)
  })

  /** Undefined for a step that the plan does not have any more, or that stands in it under another name. */
  function placeOf({ stage, step }: RehearsedStep): StepPlace | undefined {
    const plan = view.value?.plan
    if (plan === undefined) return undefined
    const lists = { setup: plan.setup, teardown: plan.teardown }
    const list =
      stage === 'setup' || stage === 'teardown' ? lists[stage] : plan.journeys.find(({ name }) => name === stage)?.steps
    for (const one of allSteps(list ?? [])) {
      if (!('name' in one) || one.name !== step) continue
      const { at } = one
      return { file: at.file, line: at.line, path: partOf(pathOfLine(treeOf(text.value), at.line)) }
    }
    return undefined
  }

  return { load: state.load, addRehearsed, view, draft, changedLines, faults, placeOf }
}
