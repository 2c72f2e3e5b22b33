<script setup lang="ts">
// The text of a plan, with its problems at their places.
import { completionKeymap } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, indentWithTab, redo, undo } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { foldGutter, foldKeymap } from '@codemirror/language'
import { lintGutter, lintKeymap, setDiagnostics } from '@codemirror/lint'
import { highlightSelectionMatches, searchKeymap } from '@codemirror/search'
import { EditorState } from '@codemirror/state'
import {
  drawSelection,
  EditorView,
  highlightActiveLine,
  highlightActiveLineGutter,
  keymap,
  lineNumbers,
} from '@codemirror/view'
import type { Problem, Surroundings, TextChange } from '@jolt-gate/core'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { diagnosticOf, foldByMargin, planCompletion, planMeanings } from './editor-help.js'
import { planColours } from './highlight.js'

const props = defineProps<{ problems: Problem[]; file: string; label?: string; around?: Surroundings | undefined }>()
const text = defineModel<string>({ required: true })
const emit = defineEmits<{ line: [line: number] }>()

const host = ref<HTMLElement>()
let view: EditorView | undefined

onMounted(() => {
  if (host.value === undefined) return
  view = new EditorView({
    parent: host.value,
    state: EditorState.create({
      doc: text.value,
      extensions: [
        lineNumbers(),
        highlightActiveLine(),
        highlightActiveLineGutter(),
        drawSelection(),
        history(),
        highlightSelectionMatches(),
        foldGutter({ openText: '▾', closedText: '▸' }),
        foldByMargin,
        lintGutter(),
        planCompletion(
          () => props.file,
          () => props.around,
        ),
        planMeanings(() => props.file),
        yaml(),
        planColours,
        // Tab indents; Escape, then Tab, leaves the editor.
        keymap.of([
          ...completionKeymap,
          ...defaultKeymap,
          ...historyKeymap,
          ...searchKeymap,
          ...foldKeymap,
          ...lintKeymap,
          indentWithTab,
        ]),
        EditorView.contentAttributes.of({ 'aria-label': props.label ?? 'Text of the plan', tabindex: '0' }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) text.value = update.state.doc.toString()
          if (update.selectionSet || update.docChanged)
            emit('line', update.state.doc.lineAt(update.state.selection.main.head).number)
        }),
      ],
    }),
  })
  showProblems()
})
onBeforeUnmount(() => view?.destroy())

watch(text, (next) => {
  if (view === undefined || view.state.doc.toString() === next) return
  view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: next } })
})
watch(() => props.problems, showProblems)

function showProblems(): void {
  if (view === undefined) return
  const { state } = view
  const diagnostics = props.problems
    .filter((problem) => problem.file === props.file && problem.line <= state.doc.lines)
    .map((problem) => diagnosticOf(problem, state))
  view.dispatch(setDiagnostics(view.state, diagnostics))
}

/** Puts the cursor at a place and shows it. */
function goTo(line: number, column = 1): void {
  if (view === undefined || line > view.state.doc.lines) return
  const at = view.state.doc.line(line)
  const position = Math.min(at.from + column - 1, at.to)
  view.dispatch({ selection: { anchor: position }, effects: EditorView.scrollIntoView(position, { y: 'center' }) })
  view.focus()
}

/** Makes changes as one step that can be undone. */
function change(changes: readonly TextChange[]): void {
  view?.dispatch({ changes: [...changes], userEvent: 'input' })
}
function undoLast(): void {
  if (view !== undefined) undo(view)
}
function redoLast(): void {
  if (view !== undefined) redo(view)
}
/** The text as it is this moment. */
const current = (): string => view?.state.doc.toString() ?? text.value

defineExpose({ goTo, change, undoLast, redoLast, current })
</script>

<template>
  <div ref="host" class="editor"></div>
</template>

<style scoped>
.editor {
  height: 100%;
  min-height: 0;
  overflow: hidden;
}
</style>
