<script setup lang="ts">
// Steps of a journey or a group: in order, to be dragged, duplicated, switched off, removed, and added.
import { STEP_CONTEXTS, textAt, type Path, type TreeNode, type Written } from '@jolt-gate/core'
import { computed, inject, ref } from 'vue'
import AddMenu from '../forms/AddMenu.vue'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ path: Path; items: readonly TreeNode[] }>()
const form = inject(PLAN_FORM)
const over = ref(-1)

const rows = computed(() =>
  props.items.map((node) => {
    const keys = node.kind === 'map' ? node.entries.map(({ key }) => key) : []
    const kind = keys.find((key) => STEP_CONTEXTS.some((one) => one === key)) ?? 'step'
    const said = textAt(node, [kind]) ?? ''
    return { node, kind, label: textAt(node, ['name']) ?? said, isOff: textAt(node, ['off']) === 'yes' }
  }),
)
const START: Record<(typeof STEP_CONTEXTS)[number], Written> = {
  send: { send: 'GET /', name: 'new step', check: ['status is 200'] },
  wait: { wait: '1s to 3s' },
  group: { group: 'new group', steps: [{ send: 'GET /', name: 'new step' }] },
  parallel: { parallel: [{ send: 'GET /', name: 'new step' }] },
  repeat: { repeat: '3', steps: [{ send: 'GET /', name: 'new step' }] },
  when: { when: 'status is 200', steps: [{ send: 'GET /', name: 'new step' }] },
  pick: { pick: [{ weight: '1', steps: [{ send: 'GET /', name: 'new step' }] }] },
  use: { use: 'steps/shared.steps.yaml' },
  call: { call: 'scripts/values.ts#choose' },
  socket: { socket: 'GET /live', steps: [{ await: 'json $.kind exists' }] },
  sql: { sql: '{secret.database}', run: 'SELECT 1' },
}
const KINDS = STEP_CONTEXTS.map((kind) => ({ value: kind, label: kind }))
function add(chosen: string): void {
  const kind = STEP_CONTEXTS.find((one) => one === chosen)
  if (kind !== undefined)
    form?.edit({ kind: 'insert', list: props.path, index: props.items.length, value: START[kind] })
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
const at = (index: number): Path => [...props.path, index]
function move(index: number, by: number): void {
  form?.edit({ kind: 'move', path: at(index), list: props.path, index: by < 0 ? index - 1 : index + 2 })
}
function turn(index: number, isOff: boolean): void {
  form?.edit(
    isOff
      ? { kind: 'remove', path: [...at(index), 'off'] }
      : { kind: 'set', path: [...at(index), 'off'], value: 'yes' },
  )
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
      <span class="grip" aria-hidden="true">⋮⋮</span>
      <span class="kind">{{ row.kind }}</span>
      <button type="button" class="link label" @click="form?.select(row.node.line)">{{ row.label || 'step' }}</button>
      <span class="acts">
        <button
          v-if="index > 0"
          type="button"
          class="icon"
          :aria-label="`Move ${row.label} up`"
          @click="move(index, -1)"
        >
          ↑
        </button>
        <button
          v-if="index < rows.length - 1"
          type="button"
          class="icon"
          :aria-label="`Move ${row.label} down`"
          @click="move(index, 1)"
        >
          ↓
        </button>
        <button type="button" class="link" @click="form?.edit({ kind: 'duplicate', path: at(index) })">
          duplicate
        </button>
        <button type="button" class="link" @click="turn(index, row.isOff)">
          {{ row.isOff ? 'turn on' : 'turn off' }}
        </button>
        <button
          type="button"
          class="icon"
          :aria-label="`Remove ${row.label}`"
          @click="form?.edit({ kind: 'remove', path: at(index) })"
        >
          ×
        </button>
      </span>
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
  align-items: baseline;
  padding: 4px 0;
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
  width: 56px;
  color: var(--lake);
  font: 600 11.5px var(--mono);
}
.label {
  flex: 1;
  min-width: 0;
}
.acts {
  display: flex;
  gap: 10px;
  color: var(--soft);
}
.end {
  border: 0;
}
</style>
