<script setup lang="ts">
// The head of a journey's form: its name, and what can be done with it.
import { nodeAt, type Path } from '@jolt-gate/core'
import { ElButton } from 'element-plus'
import { computed, inject } from 'vue'
import FormText from './FormText.vue'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ path: Path }>()
const form = inject(PLAN_FORM)
const name = computed(() => String(props.path.at(-1)))
const names = computed(() => {
  const journeys = nodeAt(form?.tree.value ?? undefined, ['journeys'])
  return journeys?.kind === 'map' ? journeys.entries.map(({ key }) => key) : []
})
function duplicate(): void {
  let number = 2
  while (names.value.includes(`${name.value} ${String(number)}`)) number++
  const key = `${name.value} ${String(number)}`
  form?.edit({ kind: 'duplicate', path: props.path, key })
  form?.selectPath(['journeys', key])
}
</script>

<template>
  <div class="part">
    <h2>Journey</h2>
    <FormText
      class="name"
      :text="name"
      label="Name of the journey"
      :line="0"
      @set="form?.rename('journey', name, $event)"
    />
    <span class="acts">
      <ElButton link @click="duplicate()">Duplicate</ElButton>
      <ElButton
        v-if="names.length > 1"
        link
        type="danger"
        :aria-label="`Remove the journey ${name}`"
        @click="form?.edit({ kind: 'remove', path })"
        >Remove</ElButton
      >
    </span>
  </div>
</template>

<style scoped>
.part {
  display: flex;
  gap: 12px;
  align-items: center;
  padding-bottom: 12px;
}
h2 {
  font-size: 14px;
}
.name {
  flex: 0 1 230px;
}
.acts {
  margin-left: auto;
}
</style>
