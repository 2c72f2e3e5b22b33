// The form of a file that stands for itself, such as a target or a pipeline: no plan is around it.
import { applyChanges, editText, readPlan, treeOf, type Edit, type Problem, type Surroundings } from '@jolt-gate/core'
import { computed, provide, shallowRef, type Ref } from 'vue'
import { useFaults } from './use-faults.js'
import { PLAN_FORM } from './use-form.js'

export interface FileForm {
  file: Ref<string>
  text: Ref<string>
  problems: Ref<Problem[]>
  project: Ref<number>
  mayWrite: Ref<boolean>
  /** Paths of the files that it may name. */
  files?: Ref<readonly string[]>
}

/** Gives the parts of the form what they need, and the page the nodes of the text and a way to change it. */
export function useFileForm({ file, text, problems, project, mayWrite, files }: FileForm) {
  const { plan } = readPlan('none.gate.yaml', '', { files: () => undefined })
  const tree = computed(() => treeOf(text.value) ?? null)
  const around = computed((): Surroundings => ({ plan, target: null, files: files?.value ?? [] }))
  function edit(wanted: Edit): void {
    text.value = applyChanges(text.value, editText(file.value, text.value, wanted))
  }
  provide(PLAN_FORM, {
    ...{ file, tree, problems, around, project, mayWrite, edit, faults: useFaults(file) },
    rehearsed: shallowRef([]),
    observed: shallowRef({}),
    files: shallowRef({}),
    addFile: () => Promise.resolve(),
    readFiles: () => Promise.resolve(),
    rename: () => undefined,
    select: () => undefined,
    selectPath: () => undefined,
  })
  return { tree, around, edit }
}
