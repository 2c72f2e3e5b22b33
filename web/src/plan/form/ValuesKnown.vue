<script setup lang="ts">
// The names that can stand in braces here; a click puts one where the cursor stands, or stood last.
import { namesKnown } from '@jolt-gate/core'
import { ElButton, ElMessage } from 'element-plus'
import { useEventListener } from '@vueuse/core'
import { computed, inject } from 'vue'
import { PLAN_FORM } from './use-form.js'

const form = inject(PLAN_FORM)
const MOST = 14
const names = computed(() => {
  const around = form?.around.value
  return around === undefined ? [] : namesKnown(around)
})

/** The field of the form that had the cursor last. */
let field: HTMLInputElement | HTMLTextAreaElement | undefined
useEventListener(document, 'focusin', ({ target }: Event) => {
  const isText = target instanceof HTMLTextAreaElement || target instanceof HTMLInputElement
  if (isText && target.closest('[aria-label="Form of the plan"]') !== null) field = target
})
async function insert(name: string): Promise<void> {
  if (field?.isConnected !== true) {
    await copy(name)
    return
  }
  field.setRangeText(
    `{${name}}`,
    field.selectionStart ?? field.value.length,
    field.selectionEnd ?? field.value.length,
    'end',
  )
  field.dispatchEvent(new Event('input', { bubbles: true }))
  field.focus()
}
async function copy(name: string): Promise<void> {
  await navigator.clipboard.writeText(`{${name}}`).then(
    () => ElMessage(`{${name}} is copied`),
    () => ElMessage(`Write {${name}} where it is to stand`),
  )
}
</script>

<template>
  <div class="known">
    <span class="soft">Values you can use here</span>
    <ElButton
      v-for="name in names.slice(0, MOST)"
      :key="name"
      link
      class="value"
      @mousedown.prevent
      @click="insert(name)"
    >
      {{ name }}
    </ElButton>
    <span v-if="names.length > MOST" class="soft">and {{ names.length - MOST }} more: write {</span>
  </div>
</template>

<style scoped>
.known {
  display: flex;
  flex-direction: column;
  gap: 4px;
  align-items: flex-start;
  min-width: 0;
}
.known .value {
  margin: 0;
  padding: 1px 5px;
  background: var(--ochre-light);
  font: 12px/1.5 var(--mono);
}
</style>
