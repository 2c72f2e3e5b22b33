<script setup lang="ts">
// The head of a part's form: what it is, its name, and what can be done with it.
import { nodeAt, type Path } from '@jolt-gate/core'
import { computed, inject } from 'vue'
import FormText from './FormText.vue'
import PartActions from './PartActions.vue'
import { PLAN_FORM } from './use-form.js'

const props = withDefaults(
  defineProps<{
    path: Path
    title: string
    /** The name, where the part may have one. */
    name?: string | undefined
    isOff?: boolean | undefined
    copyName?: { key: string; value: string } | undefined
  }>(),
  { name: undefined, isOff: undefined, copyName: undefined },
)
defineEmits<{ rename: [to: string] }>()
const form = inject(PLAN_FORM)

const list = computed(() => props.path.slice(0, -1))
const index = computed(() => Number(props.path.at(-1)))
const siblings = computed(() => {
  const node = nodeAt(form?.tree.value ?? undefined, list.value)
  return node?.kind === 'list' ? node.items.length : 0
})
</script>

<template>
  <div class="part">
    <h2>{{ title }}</h2>
    <FormText
      v-if="name !== undefined"
      class="name"
      :text="name"
      label="Name"
      placeholder="name in gates and reports"
      :line="0"
      @set="$emit('rename', $event)"
    />
    <PartActions
      v-if="siblings > 0"
      class="acts"
      :list="list"
      :index="index"
      :count="siblings"
      :name="name || title"
      :is-off="isOff"
      :copy-name="copyName"
      is-whole
    />
  </div>
</template>

<style scoped>
.part {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  padding-bottom: 12px;
}
h2 {
  font-size: 14px;
  white-space: nowrap;
}
.name {
  flex: 0 1 230px;
}
.acts {
  margin-left: auto;
}
</style>
