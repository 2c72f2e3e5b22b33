<script setup lang="ts">
// The names that can stand in braces here; a click copies one.
import { namesKnown } from '@jolt-gate/core'
import { ElButton, ElMessage } from 'element-plus'
import { computed, inject } from 'vue'
import { PLAN_FORM } from './use-form.js'

const form = inject(PLAN_FORM)
const MOST = 14
const names = computed(() => {
  const around = form?.around.value
  return around === undefined ? [] : namesKnown(around)
})

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
    <ElButton v-for="name in names.slice(0, MOST)" :key="name" link class="value" @click="copy(name)">
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
