<script setup lang="ts">
// The body of a request: its kind first, then what it holds.
import { CONTEXTS, nodeAt, type Path } from '@jolt-gate/core'
import { ElRadioButton, ElRadioGroup } from 'element-plus'
import { computed, inject } from 'vue'
import { BODIES } from './bodies.js'
import FormField from './FormField.vue'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ path: Path }>()
const form = inject(PLAN_FORM)
const chosen = computed(() =>
  BODIES.find(({ key }) => nodeAt(form?.tree.value ?? undefined, [...props.path, key]) !== undefined),
)

/** A body that is taken away comes back by undo. */
function choose(kind: unknown): void {
  const next = BODIES.find(({ key }) => key === kind)
  if (chosen.value !== undefined) form?.edit({ kind: 'remove', path: [...props.path, chosen.value.key] })
  if (next !== undefined) form?.edit({ kind: 'set', path: [...props.path, next.key], value: next.start })
}
</script>

<template>
  <div class="body">
    <ElRadioGroup :model-value="chosen?.key ?? 'none'" size="small" aria-label="Kind of body" @change="choose">
      <ElRadioButton value="none">None</ElRadioButton>
      <ElRadioButton v-for="{ key, label } in BODIES" :key="key" :value="key">{{ label }}</ElRadioButton>
    </ElRadioGroup>
    <FormField
      v-if="chosen"
      :key="chosen.key"
      :path="[...path, chosen.key]"
      :shape="CONTEXTS.send.keys[chosen.key]!.shape"
      name="Body"
    />
    <p v-else class="soft">The request has no body.</p>
  </div>
</template>

<style scoped>
.body {
  display: grid;
  gap: 8px;
  align-content: start;
}
</style>
