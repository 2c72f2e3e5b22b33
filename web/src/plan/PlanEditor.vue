<script setup lang="ts">
// The text of a plan, with its problems at their places.
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
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
import type { Problem } from '@jolt-gate/core'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { planColours } from './highlight.js'

const props = defineProps<{ problems: Problem[]; file: string }>()
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
        lintGutter(),
        yaml(),
        planColours,
        // Tab indents; Escape, then Tab, leaves the editor.
        keymap.of([...defaultKeymap, ...historyKeymap, ...searchKeymap, indentWithTab]),
        EditorView.contentAttributes.of({ 'aria-label': 'Text of the plan' }),
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
  const { doc } = view.state
  const diagnostics = props.problems
    .filter((problem) => problem.file === props.file && problem.line <= doc.lines)
    .map((problem): Diagnostic => {
      const line = doc.line(problem.line)
      const from = Math.min(line.from + problem.column - 1, line.to)
      const word = /^\S+/.exec(doc.sliceString(from, line.to))?.[0].length ?? 0
      return {
        from,
        to: Math.min(line.to, from + Math.max(1, word)),
        severity: problem.severity,
        message: problem.message,
      }
    })
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

/** Replaces words on one line, as one step that can be undone. */
function replaceOnLine(line: number, before: string, after: string): boolean {
  if (view === undefined || line > view.state.doc.lines) return false
  const { from, text: content } = view.state.doc.line(line)
  const start = content.lastIndexOf(before)
  if (start < 0) return false
  view.dispatch({ changes: { from: from + start, to: from + start + before.length, insert: after } })
  return true
}

defineExpose({ goTo, replaceOnLine })
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
