<script setup lang="ts">
// The keys of one part: those that stand there, each with its label, and those that can be added.
import { CONTEXTS, nodeAt, type ContextName, type Path } from '@jolt-gate/core'
import { ElButton } from 'element-plus'
import { computed, inject } from 'vue'
import AddMenu from '../../forms/AddMenu.vue'
import FormField from './FormField.vue'
import { aboutOf, labelOf } from './labels.js'
import { startOfKey } from './starts.js'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{
  path: Path
  context: ContextName
  /** The keys to show; all but those that are left out. */
  only?: readonly string[]
  without?: readonly string[]
}>()
const form = inject(PLAN_FORM)
const node = computed(() => nodeAt(form?.tree.value ?? undefined, props.path))
const keys = computed(() =>
  Object.entries(CONTEXTS[props.context].keys)
    .filter(([key]) => (props.only?.includes(key) ?? true) && !(props.without?.includes(key) ?? false))
    .map(([key, meant]) => ({ key, ...meant })),
)
const has = (key: string) => nodeAt(node.value, [key]) !== undefined
const present = computed(() => keys.value.filter(({ key, isNeeded }) => isNeeded || has(key)))
const absent = computed(() =>
  keys.value
    .filter(({ key, isNeeded }) => !isNeeded && !has(key))
    .map(({ key, about }) => ({ value: key, label: `${labelOf(key)}: ${about}` })),
)
function add(chosen: string): void {
  const key = keys.value.find((one) => one.key === chosen)
  if (key !== undefined) form?.edit({ kind: 'set', path: [...props.path, key.key], value: startOfKey(key.key, key) })
}
</script>

<template>
  <div v-for="{ key, shape, isNeeded } in present" :key="key" class="row" :class="{ wide: key === 'steps' }">
    <span v-if="key !== 'steps'" class="key" :title="aboutOf(context, key)">{{ labelOf(key) }}</span>
    <FormField :path="[...path, key]" :shape="shape" :name="labelOf(key)" />
    <ElButton
      v-if="!isNeeded"
      link
      :aria-label="`Remove ${labelOf(key)}`"
      @click="form?.edit({ kind: 'remove', path: [...path, key] })"
      >Remove</ElButton
    >
  </div>
  <AddMenu v-if="absent.length > 0" class="add" label="Add a part" :items="absent" @add="add" />
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr) 52px;
  gap: 10px;
  align-items: start;
  padding: 5px 0;
}
.wide {
  grid-template-columns: minmax(0, 1fr);
}
.row > .el-button {
  margin-top: 8px;
}
.key {
  padding-top: 6px;
  color: var(--soft);
}
.add {
  margin: 8px 0;
}
/* Where there is little room the field stands below its label. */
@container form (max-width: 560px) {
  .row:not(.wide) {
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 2px 10px;
  }
  .row:not(.wide) > :nth-child(2) {
    grid-row: 2;
    grid-column: 1 / -1;
  }
}
</style>
