<script setup lang="ts">
// A file that stands for itself, such as a target or a pipeline, by form or as text.
import type { ContextName, Edit, Problem } from '@jolt-gate/core'
import { ElTabPane, ElTabs } from 'element-plus'
import { ref, toRef } from 'vue'
import PlanEditor from '../PlanEditor.vue'
import PartRows from './PartRows.vue'
import { useFileForm } from './use-file-form.js'

const props = defineProps<{
  file: string
  context: ContextName
  problems: Problem[]
  project: number
  mayWrite: boolean
  /** What the text is called. */
  label: string
  /** Paths of the files that it may name. */
  files?: readonly string[]
  /** Keys that the form leaves to the text. */
  without?: readonly string[]
}>()
const text = defineModel<string>({ required: true })
const mode = ref<'form' | 'text'>('form')
const { tree, around, edit } = useFileForm({
  ...{ file: toRef(() => props.file), text, problems: toRef(() => props.problems) },
  ...{ project: toRef(() => props.project), mayWrite: toRef(() => props.mayWrite) },
  files: toRef(() => props.files ?? []),
})
defineExpose({
  edit: (wanted: Edit) => {
    edit(wanted)
  },
})
</script>

<template>
  <ElTabs v-model="mode">
    <ElTabPane name="form" label="Form" />
    <ElTabPane name="text" label="Text" />
  </ElTabs>
  <div v-if="mode === 'form'" class="form">
    <p v-if="tree === null && text.trim() !== ''" class="fault">YAML cannot read this text: fix it as text first.</p>
    <PartRows v-else :path="[]" :context="context" :without="without ?? []" />
  </div>
  <PlanEditor v-else v-model="text" class="editor" :label="label" :problems="problems" :file="file" :around="around" />
</template>

<style scoped>
.form {
  container: form / inline-size;
}
.editor {
  height: 480px;
  border: 1px solid var(--rule);
}
</style>
