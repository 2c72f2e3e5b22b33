// Changes that the form, the gates and the strip make: on the text, as steps that can be undone there.
import {
  editText,
  nodeAt,
  pathOfLine,
  renameInText,
  treeOf,
  type Edit,
  type Path,
  type Renamed,
  type Surroundings,
  type TextChange,
  type TreeNode,
} from '@jolt-gate/core'
import { computed, provide, shallowRef, watch, type Ref } from 'vue'
import type { RehearsedStep } from '@jolt-gate/core'
import { api } from '../api/client.js'
import { useFaults } from './form/use-faults.js'
import { partOf, PLAN_FORM } from './form/use-form.js'
import type { usePlan } from './use-plan.js'

/** What the editor lets its page do. */
export interface TextHolder {
  goTo: (line: number, column: number) => void
  change: (changes: readonly TextChange[]) => void
  current: () => string
  undoLast: () => void
  redoLast: () => void
}

interface EditsOptions {
  project: Ref<number>
  mayWrite: Ref<boolean>
  file: Ref<string>
  state: ReturnType<typeof usePlan>
  editor: Ref<TextHolder | undefined>
  select: (line: number) => void
}

// eslint-disable-next-line max-lines-per-function -- its parts share what they keep
export function useEdits({ project, mayWrite, file, state, editor, select }: EditsOptions) {
  const { opened, text, view, readFiles } = state
  const rehearsed = shallowRef<readonly RehearsedStep[]>([])
  const around = computed<Surroundings | undefined>(() =>
    view.value === undefined || opened.value === undefined
      ? undefined
      : { plan: view.value.plan, target: view.value.target, files: Object.keys(opened.value.files) },
  )

  function change(changes: readonly TextChange[]): void {
    editor.value?.change(changes)
  }
  /** The editor's own text is the newest; what was read of it follows. */
  const current = () => editor.value?.current() ?? text.value
  /** The form continues at once with the nodes of its own change; the worker's reading comes after. */
  const tree = shallowRef<TreeNode | null>(null)
  let parsed: { text: string; tree: TreeNode | undefined } = { text: '', tree: undefined }
  function treeNow(): TreeNode | undefined {
    const now = current()
    if (parsed.text !== now) parsed = { text: now, tree: treeOf(now) }
    return parsed.tree
  }
  watch(view, (read) => {
    // What was read of an older text must not take the form back.
    if (parsed.text !== current()) tree.value = read?.tree ?? null
  })
  function edit(wanted: Edit): void {
    change(editText(file.value, current(), wanted, treeNow()))
    tree.value = treeNow() ?? null
    if (wanted.kind !== 'insert') return
    // What was added is selected next.
    const list = nodeAt(treeNow(), wanted.list)
    const item = list?.kind === 'list' ? list.items[Math.min(wanted.index, list.items.length - 1)] : undefined
    if (item !== undefined && (item.kind === 'map' || wanted.list[0] === 'gates')) select(item.line)
  }
  const pathAt = (line: number): Path => partOf(pathOfLine(treeNow(), line))

  function rename(kind: Renamed, before: string, after: string): void {
    change(renameInText(current(), kind, before, after))
    tree.value = treeNow() ?? null
  }

  const faults = useFaults(file)
  watch(file, faults.clear)
  provide(PLAN_FORM, {
    file,
    faults,
    tree,
    problems: computed(() => view.value?.problems.filter((problem) => problem.file === file.value) ?? []),
    around,
    rehearsed,
    observed: computed(() => opened.value?.history.observed ?? {}),
    files: computed(() => opened.value?.files ?? {}),
    project,
    mayWrite,
    addFile: async (path, content) => {
      await api.addFiles(project.value, [{ path, text: content }], `Add ${path}`)
      await readFiles()
    },
    readFiles,
    edit,
    rename,
    select,
    selectPath: (path) => {
      const node = nodeAt(treeNow(), path)
      if (node !== undefined) select(node.line)
    },
  })

  return {
    around,
    edit,
    rename,
    treeNow,
    pathAt,
    faults,
    addRehearsed: (steps: readonly RehearsedStep[]) => (rehearsed.value = steps),
  }
}
