<script setup lang="ts">
// JSON of the form: written as JSON, stored the way a plan has it.
import type { Path, TreeNode, Written } from '@jolt-gate/core'
import { ElButton, ElInput } from 'element-plus'
import { computed, inject, ref, watch } from 'vue'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ node: TreeNode | undefined; path: Path; label: string }>()
const emit = defineEmits<{ set: [value: Written] }>()
const form = inject(PLAN_FORM)
/** What was left unfinished here waits outside: looking at the text, or at another step, does not lose it. */
const waiting = computed(() => form?.faults.at(props.path))

/** A plain scalar that reads as a number, a truth or null is one. */
function dataOf(node: TreeNode | null | undefined): unknown {
  if (node === null || node === undefined) return null
  if (node.kind === 'list') return node.items.map(dataOf)
  if (node.kind === 'map') return Object.fromEntries(node.entries.map(({ key, value }) => [key, dataOf(value)]))
  if (node.to - node.from !== node.text.length) return node.text
  if (/^-?(?:0|[1-9]\d*)(?:\.\d+)?$/.test(node.text)) return Number(node.text)
  return { true: true, false: false, null: null }[node.text] ?? node.text
}
const shown = () => (props.node === undefined ? '' : JSON.stringify(dataOf(props.node), null, 2))
const draft = ref(waiting.value?.draft ?? shown())
watch(
  () => props.node,
  () => {
    if (waiting.value === undefined) draft.value = shown()
  },
)
function write(): void {
  try {
    // What JSON.parse gives is what `Written` is made of.
    const value = JSON.parse(draft.value) as Written
    form?.faults.put(props.path, undefined)
    if (draft.value !== shown()) emit('set', value)
  } catch (error) {
    const why = error instanceof Error ? error.message : ''
    form?.faults.put(props.path, {
      draft: draft.value,
      line: props.node?.line ?? 1,
      message: `the JSON in the form is not valid yet, and not in the plan: ${why}`,
    })
  }
}
function discard(): void {
  form?.faults.put(props.path, undefined)
  draft.value = shown()
}
</script>

<template>
  <span class="json">
    <ElInput
      v-model="draft"
      class="mono"
      type="textarea"
      :rows="Math.min(14, Math.max(4, draft.split('\n').length))"
      :aria-label="label"
      @input="waiting && write()"
      @change="write()"
    />
    <span v-if="waiting" class="fault" role="alert"
      >{{ waiting.message }} <ElButton link @click="discard()">Discard it</ElButton></span
    >
  </span>
</template>

<style scoped>
.json {
  display: grid;
  min-width: 0;
}
</style>
