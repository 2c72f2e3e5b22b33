<script setup lang="ts">
// What changed since the commit: in the plan's own words, and side by side.
import { ElButton } from 'element-plus'
import { MergeView } from '@codemirror/merge'
import { yaml } from '@codemirror/lang-yaml'
import { EditorState } from '@codemirror/state'
import { EditorView, lineNumbers } from '@codemirror/view'
import type { PlanChange } from '@jolt-gate/core'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { planColours } from './highlight.js'

const props = defineProps<{ before: string; after: string; beforeLabel: string; changes: PlanChange[] }>()
defineEmits<{ pick: [line: number] }>()
const host = ref<HTMLElement>()
let view: MergeView | undefined

function draw(): void {
  view?.destroy()
  if (host.value === undefined) return
  const extensions = [lineNumbers(), yaml(), planColours, EditorState.readOnly.of(true), EditorView.lineWrapping]
  const named = (label: string) => [
    ...extensions,
    EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
  ]
  view = new MergeView({
    parent: host.value,
    a: { doc: props.before, extensions: named('Text before') },
    b: { doc: props.after, extensions: named('Text after') },
    collapseUnchanged: { margin: 3, minSize: 6 },
  })
}
onMounted(draw)
watch(() => [props.before, props.after], draw)
onBeforeUnmount(() => view?.destroy())
</script>

<template>
  <div class="changes">
    <ul v-if="changes.length > 0" class="words" aria-label="Changes in words">
      <li v-for="(change, index) in changes" :key="index">
        <ElButton v-if="change.line" link @click="$emit('pick', change.line)">
          {{ change.words }}
        </ElButton>
        <span v-else>{{ change.words }}</span>
      </li>
    </ul>
    <p v-else class="soft none">
      {{ before === after ? 'Nothing has changed.' : 'Only comments, order or blank lines changed.' }}
    </p>
    <div class="heads soft">
      <span>{{ beforeLabel }}</span><span>now</span>
    </div>
    <div ref="host" class="merge"></div>
  </div>
</template>

<style scoped>
.changes {
  display: flex;
  flex-direction: column;
  height: 100%;
  overflow: auto;
}
.words {
  margin: 0;
  padding: 10px 16px 10px 32px;
}
.none {
  padding: 12px 16px;
}
.heads {
  display: grid;
  grid-template-columns: 1fr 1fr;
  padding: 0 16px 4px;
  border-bottom: 1px solid var(--rule);
}
.merge {
  flex: 1;
}
.merge :deep(.cm-editor) {
  height: auto;
}
.merge :deep(.cm-deletedText),
.merge :deep(.cm-changedText) {
  background: var(--ochre-light);
}
.merge :deep(.cm-changedLine) {
  background: var(--paper) !important;
}
</style>
