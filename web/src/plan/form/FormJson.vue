<script setup lang="ts">
// JSON of the form: written as JSON, stored the way a plan has it.
import type { TreeNode, Written } from '@jolt-gate/core'
import { ElInput } from 'element-plus'
import { ref, watch } from 'vue'

const props = defineProps<{ node: TreeNode | undefined; label: string }>()
const emit = defineEmits<{ set: [value: Written] }>()
const fault = ref('')

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
const draft = ref(shown())
watch(
  () => props.node,
  () => (draft.value = shown()),
)
function write(): void {
  try {
    // What JSON.parse gives is what `Written` is made of.
    const value = JSON.parse(draft.value) as Written
    fault.value = ''
    if (draft.value !== shown()) emit('set', value)
  } catch (error) {
    fault.value = `This is not valid JSON yet, and not in the plan: ${error instanceof Error ? error.message : ''}`
  }
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
      @change="write()"
    />
    <span v-if="fault" class="fault" role="alert">{{ fault }}</span>
  </span>
</template>

<style scoped>
.json {
  display: grid;
  min-width: 0;
}
</style>
