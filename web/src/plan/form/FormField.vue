<script setup lang="ts">
// One key of the format with what stands under it, to be changed without text. It holds itself where parts hold parts.
import { ArrowUp, Close } from '@element-plus/icons-vue'
import { CONTEXTS, nodeAt, type Path, type Shape, type TreeNode, type Written } from '@jolt-gate/core'
import { ElButton, ElInput, ElOption, ElSelect, ElSwitch } from 'element-plus'
import { computed, inject, ref } from 'vue'
import AddMenu from '../../forms/AddMenu.vue'
import FormJson from './FormJson.vue'
import FormSteps from './FormSteps.vue'
import FormText from './FormText.vue'
import { labelOf } from './labels.js'
import { startOf, startOfKey } from './starts.js'
import { isOptionOf, VALUE_KINDS, valueKindOf } from './value-kinds.js'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ path: Path; shape: Shape; name: string }>()
const form = inject(PLAN_FORM)
const node = computed<TreeNode | undefined>(() => nodeAt(form?.tree.value ?? undefined, props.path))
const newKey = ref('')

/** Of several shapes the one that stands there; a new one is the first. */
const shape = computed<Shape>(() => {
  const { shape: given } = props
  if (given.kind !== 'one of') return given
  const kind = node.value?.kind
  const isMap = (one: Shape) => one.kind === 'map' || one.kind === 'entries'
  const found = given.shapes.find((one) =>
    kind === 'map' ? isMap(one) : kind === 'list' ? one.kind === 'list' : !isMap(one) && one.kind !== 'list',
  )
  return found ?? given.shapes[0] ?? given
})
const other = computed(() =>
  props.shape.kind === 'one of' ? props.shape.shapes.find((one) => one !== shape.value) : undefined,
)
const text = computed(() => (node.value?.kind === 'scalar' ? node.value.text : ''))
const entries = computed(() => (node.value?.kind === 'map' ? node.value.entries : []))
const items = computed(() => (node.value?.kind === 'list' ? node.value.items : []))
const keys = computed(() => (shape.value.kind === 'map' ? CONTEXTS[shape.value.of].keys : undefined))
/** A generated value is chosen by its kind first, and has the options of that kind alone. */
const isValue = computed(() => shape.value.kind === 'map' && shape.value.of === 'value')
const valueKind = computed(() => valueKindOf(entries.value.map(({ key }) => key)))
function chooseKind(kind: string): void {
  const meant = keys.value?.[kind]
  if (meant === undefined) return
  const kept = entries.value.flatMap(({ key, value }) =>
    key === 'lasts' && value?.kind === 'scalar' ? [[key, value.text] as const] : [],
  )
  set({ [kind]: startOfKey(kind, meant), ...Object.fromEntries(kept) })
}
/** The targets of the repository; an address can be written, too. */
const targetNames = computed(() =>
  (form?.around.value?.files ?? []).flatMap((path) => /^targets\/(.+)\.target\.yaml$/.exec(path)?.[1] ?? []),
)
const isTarget = computed(
  () => props.path.at(-1) === 'target' && shape.value.kind === 'text' && targetNames.value.length > 0,
)
const missing = computed(() =>
  Object.entries(keys.value ?? {})
    .filter(([key]) => !entries.value.some((entry) => entry.key === key))
    .filter(([key]) => !isValue.value || isOptionOf(key, valueKind.value))
    .map(([key, { about }]) => ({ value: key, label: `${labelOf(key)}: ${about}` })),
)
const isSteps = computed(() => shape.value.kind === 'list' && shape.value.of.kind === 'step')

function set(value: Written): void {
  form?.edit({ kind: 'set', path: props.path, value })
}
function remove(part: string | number): void {
  form?.edit({ kind: 'remove', path: [...props.path, part] })
}
function addKey(key: string): void {
  const meant = keys.value?.[key]
  if (meant !== undefined) form?.edit({ kind: 'set', path: [...props.path, key], value: startOfKey(key, meant) })
}
function addEntry(): void {
  if (shape.value.kind !== 'entries' || newKey.value.trim() === '') return
  form?.edit({ kind: 'set', path: [...props.path, newKey.value.trim()], value: startOf(shape.value.of) })
  newKey.value = ''
}
function addItem(): void {
  if (shape.value.kind !== 'list') return
  const { of } = shape.value
  const stand = items.value.flatMap((item) => (item.kind === 'scalar' ? item.text : []))
  // A file that is there, rather than a name that is none.
  const other = form?.around.value?.files.find(
    (path) => of.kind === 'file' && path.endsWith(of.ending) && !stand.includes(path),
  )
  form?.edit({ kind: 'insert', list: props.path, index: items.value.length, value: other ?? startOf(of) })
}
function moveUp(from: number): void {
  form?.edit({ kind: 'move', path: [...props.path, from], list: props.path, index: from - 1 })
}
/** What an item is called: by its own first words, where it has any. */
function calledAt(index: number): string {
  const item = items.value[index]
  const first = item?.kind === 'map' ? item.entries[0] : undefined
  if (first?.value?.kind !== 'scalar') return `${props.name} ${String(index + 1)}`
  return `${labelOf(first.key)} ${first.value.text}`
}
</script>

<template>
  <FormSteps v-if="isSteps" :path="path" :items="items" />
  <FormJson v-else-if="shape.kind === 'json'" :node="node" :path="path" :label="name" @set="set" />
  <ElSwitch
    v-else-if="shape.kind === 'switch'"
    :model-value="text"
    active-value="yes"
    inactive-value="no"
    :aria-label="name"
    @change="set(String($event))"
  />
  <ElSelect v-else-if="shape.kind === 'words'" :model-value="text" :aria-label="name" @change="set(String($event))">
    <ElOption v-for="word in shape.words" :key="word" :value="word" />
  </ElSelect>
  <ElSelect
    v-else-if="isTarget"
    :model-value="text"
    :aria-label="name"
    filterable
    allow-create
    default-first-option
    placeholder="a target, or an address"
    @change="set(String($event))"
  >
    <ElOption v-for="one in targetNames" :key="one" :value="one" />
  </ElSelect>
  <div v-else-if="keys" class="map">
    <ElSelect
      v-if="isValue"
      class="kind"
      :model-value="valueKind?.kind ?? ''"
      :aria-label="`Kind of ${name}`"
      placeholder="kind of value"
      @change="chooseKind(String($event))"
    >
      <ElOption v-for="one in VALUE_KINDS" :key="one.kind" :value="one.kind" :label="one.label" />
    </ElSelect>
    <div v-for="entry in entries" :key="entry.key" class="entry">
      <span class="key" :title="keys[entry.key]?.about">{{ labelOf(entry.key) }}</span>
      <FormField
        v-if="keys[entry.key]"
        :path="[...path, entry.key]"
        :shape="keys[entry.key]!.shape"
        :name="labelOf(entry.key)"
      />
      <ElButton
        v-if="!keys[entry.key]?.isNeeded && entry.key !== valueKind?.kind"
        text
        :icon="Close"
        :aria-label="`Remove ${entry.key}`"
        @click="remove(entry.key)"
      />
    </div>
    <AddMenu
      v-if="missing.length > 0"
      :label="shape.kind === 'map' && shape.of === 'check' ? 'Add a condition…' : `Add to ${name.toLowerCase()}`"
      :items="missing"
      @add="addKey"
    />
  </div>
  <div v-else-if="shape.kind === 'entries'" class="map">
    <div v-for="entry in entries" :key="entry.key" class="entry" :class="{ deep: entry.value?.kind === 'map' }">
      <FormText
        :text="entry.key"
        :label="`${name} name`"
        :line="entry.line"
        is-key
        @set="form?.edit({ kind: 'rename key', path: [...path, entry.key], to: $event })"
      />
      <FormField :path="[...path, entry.key]" :shape="shape.of" :name="entry.key" />
      <ElButton text :icon="Close" :aria-label="`Remove ${entry.key}`" @click="remove(entry.key)" />
    </div>
    <form class="entry" @submit.prevent="addEntry">
      <ElInput v-model="newKey" :aria-label="`New name in ${name}`" placeholder="name" />
      <span>
        <ElButton native-type="submit" size="small" :disabled="newKey.trim() === ''">Add</ElButton>
      </span>
    </form>
  </div>
  <div v-else-if="shape.kind === 'list'" class="map">
    <div v-for="(item, index) in items" :key="index" class="item" :class="{ part: item.kind === 'map' }">
      <FormField :path="[...path, index]" :shape="shape.of" :name="calledAt(index)" />
      <ElButton
        text
        :class="{ unseen: index === 0 }"
        :icon="ArrowUp"
        :aria-label="`Move ${calledAt(index)} up`"
        @click="moveUp(index)"
      />
      <ElButton text :icon="Close" :aria-label="`Remove ${calledAt(index)}`" @click="remove(index)" />
    </div>
    <span
      ><ElButton size="small" @click="addItem()">{{
        shape.of.kind === 'map' ? `Add to ${name.toLowerCase()}` : 'Add'
      }}</ElButton></span
    >
  </div>
  <span v-else class="one">
    <FormText :text="text" :label="name" :line="node?.line ?? 0" :shape="shape" @set="set($event)" />
    <ElButton v-if="other" link @click="set(startOf(other))">Show all options</ElButton>
  </span>
</template>

<style scoped>
.map {
  display: grid;
  gap: 6px;
  min-width: 0;
}
.entry {
  display: grid;
  grid-template-columns: minmax(96px, 150px) minmax(0, 1fr) auto;
  gap: 8px;
  align-items: start;
}
.entry.deep > :nth-child(2) {
  grid-row: 2;
  grid-column: 1 / -1;
  padding-left: 16px;
}
.entry.deep > :nth-child(1) {
  grid-row: 1;
  grid-column: 1 / 3;
}
.item {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 4px;
  align-items: start;
}
/* Between parts of several rows there is a line. */
.part + .part {
  padding-top: 10px;
  border-top: 1px solid var(--rule);
}
.unseen {
  visibility: hidden;
}
.one > .el-button {
  margin-top: 8px;
}
.key {
  padding-top: 6px;
  color: var(--soft);
}
.one {
  display: flex;
  gap: 8px;
  align-items: start;
  min-width: 0;
}
</style>
