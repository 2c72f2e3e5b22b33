<script setup lang="ts">
// Steps of a journey or a group: in order, to be dragged, duplicated, switched off, removed, and added.
import { Rank } from '@element-plus/icons-vue'
import { STEP_CONTEXTS, textAt, type Path, type TreeNode } from '@jolt-gate/core'
import { ElButton, ElIcon } from 'element-plus'
import { computed, inject, ref } from 'vue'
import AddMenu from '../../forms/AddMenu.vue'
import { STEP_LABELS, TITLES } from './labels.js'
import PartActions from './PartActions.vue'
import { STEP_STARTS } from './starts.js'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ path: Path; items: readonly TreeNode[] }>()
const form = inject(PLAN_FORM)
const over = ref(-1)

const rows = computed(() =>
  props.items.map((node) => {
    const keys = node.kind === 'map' ? node.entries.map(({ key }) => key) : []
    const kind = STEP_CONTEXTS.find((one) => keys.includes(one))
    const said = kind === undefined ? '' : (textAt(node, [kind]) ?? '')
    return { node, kind, label: textAt(node, ['name']) ?? said, isOff: textAt(node, ['off']) === 'yes' }
  }),
)
const KINDS = STEP_CONTEXTS.map((kind) => ({ value: kind, label: STEP_LABELS[kind] }))
function add(chosen: string): void {
  const kind = STEP_CONTEXTS.find((one) => one === chosen)
  if (kind !== undefined)
    form?.edit({ kind: 'insert', list: props.path, index: props.items.length, value: STEP_STARTS[kind] })
}
function drag(event: DragEvent, index: number): void {
  event.dataTransfer?.setData('application/x-jolt-gate-step', JSON.stringify([...props.path, index]))
}
function drop(event: DragEvent, index: number): void {
  over.value = -1
  const data = event.dataTransfer?.getData('application/x-jolt-gate-step') ?? ''
  if (data === '') return
  // It was written by `drag`, of this page.
  form?.edit({ kind: 'move', path: JSON.parse(data) as Path, list: props.path, index })
}
</script>

<template>
  <ol class="steps" @dragleave="over = -1">
    <li
      v-for="(row, index) in rows"
      :key="index"
      draggable="true"
      :class="{ over: over === index, off: row.isOff }"
      @dragstart="drag($event, index)"
      @dragover.prevent="over = index"
      @drop.prevent="drop($event, index)"
    >
      <ElIcon class="grip" aria-hidden="true"><Rank /></ElIcon>
      <span class="kind">{{ (row.kind && TITLES[row.kind]) ?? 'Step' }}</span>
      <span class="label">
        <ElButton link @click="form?.select(row.node.line)">{{ row.label || 'step' }}</ElButton>
      </span>
      <PartActions :list="path" :index="index" :count="rows.length" :name="row.label" :is-off="row.isOff" />
    </li>
    <li
      class="end"
      :class="{ over: over === rows.length }"
      @dragover.prevent="over = rows.length"
      @drop.prevent="drop($event, rows.length)"
    >
      <AddMenu label="Add a step" :items="KINDS" @add="add" />
    </li>
  </ol>
</template>

<style scoped>
.steps {
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--rule);
  list-style: none;
}
li {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
}
.over {
  box-shadow: 0 -2px var(--ochre);
}
.off .label {
  color: var(--soft);
  text-decoration: line-through;
}
.grip {
  color: var(--faint);
  cursor: grab;
}
.kind {
  flex: none;
  width: 96px;
  color: var(--lake);
  font-size: 12px;
  font-weight: 600;
}
.label {
  display: flex;
  flex: 1;
  min-width: 0;
  overflow: hidden;
}
.end {
  padding-top: 8px;
  border: 0;
}
</style>
