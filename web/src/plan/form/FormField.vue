<script setup lang="ts">
// One key of the format with what stands under it, to be changed without text. It holds itself where parts hold parts.
import { CONTEXTS, nodeAt, type Path, type Shape, type TreeNode, type Written } from '@jolt-gate/core'
import { computed, inject, ref } from 'vue'
import FormJson from './FormJson.vue'
import FormSteps from './FormSteps.vue'
import FormText from './FormText.vue'
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
const entries = computed(() => (node.value?.kind === 'map' ? node.value.entries : []))
const items = computed(() => (node.value?.kind === 'list' ? node.value.items : []))
const context = computed(() => (shape.value.kind === 'map' ? CONTEXTS[shape.value.of] : undefined))
const missing = computed(() =>
  Object.keys(context.value?.keys ?? {}).filter((key) => !entries.value.some((entry) => entry.key === key)),
)
const words = computed(() => (shape.value.kind === 'words' ? shape.value.words : ['yes', 'no']))
const isSteps = computed(() => shape.value.kind === 'list' && shape.value.of.kind === 'step')

function set(value: Written): void {
  form?.edit({ kind: 'set', path: props.path, value })
}
function remove(path: Path): void {
  form?.edit({ kind: 'remove', path })
}
/** What a new part of some shape begins as. */
function startOf(of: Shape): Written {
  switch (of.kind) {
    case 'whole':
      return '1'
    case 'switch':
      return 'yes'
    case 'words':
      return of.words[0] ?? ''
    case 'map': {
      const keys = Object.entries(CONTEXTS[of.of].keys)
      const first = keys.filter(([, key]) => key.isNeeded)
      return Object.fromEntries(
        (first.length > 0 ? first : keys.slice(0, 1)).map(([key, { example, shape: inner }]) => [
          key,
          example === '' ? startOf(inner) : example.replace(/^- /, ''),
        ]),
      )
    }
    case 'list':
      return [startOf(of.of)]
    case 'one of':
      return startOf(of.shapes[0] ?? { kind: 'text' })
    case 'sentence':
      return EXAMPLES[of.rule] ?? '1s'
    default:
      return 'value'
  }
}
const EXAMPLES: Partial<Record<string, string>> = {
  Check: 'status is 200',
  ValueCheck: 'value fare is "adult"',
  Keep: 'json $.id',
  Gate: 'failed requests at most 1 %',
  RatesOnly: '5/s',
  UsersRange: '10',
  WaitOnly: '1s to 3s',
  WholeRange: '1 to 4',
  DateOffset: 'today + 14 days',
}
function addKey(key: string): void {
  const meant = context.value?.keys[key]
  if (meant === undefined) return
  const { example, shape: of } = meant
  const isSimple = ['text', 'sentence', 'whole', 'words', 'switch', 'file', 'request'].includes(of.kind)
  form?.edit({ kind: 'set', path: [...props.path, key], value: isSimple && example !== '' ? example : startOf(of) })
}
function addEntry(): void {
  if (shape.value.kind !== 'entries' || newKey.value.trim() === '') return
  form?.edit({ kind: 'set', path: [...props.path, newKey.value.trim()], value: startOf(shape.value.of) })
  newKey.value = ''
}
function addItem(): void {
  if (shape.value.kind !== 'list') return
  form?.edit({ kind: 'insert', list: props.path, index: items.value.length, value: startOf(shape.value.of) })
}
function move(from: number, by: number): void {
  form?.edit({ kind: 'move', path: [...props.path, from], list: props.path, index: by < 0 ? from - 1 : from + 2 })
}
const picked = (event: Event): string => (event.target instanceof HTMLSelectElement ? event.target.value : '')
const labelOf = (key: string | number) => `${props.name} ${String(key)}`
</script>

<template>
  <FormSteps v-if="isSteps" :path="path" :items="items" />
  <FormJson v-else-if="shape.kind === 'json'" :node="node" :label="name" @set="set" />
  <select
    v-else-if="shape.kind === 'words' || shape.kind === 'switch'"
    class="field"
    :aria-label="name"
    :value="node?.kind === 'scalar' ? node.text : ''"
    @change="set(picked($event))"
  >
    <option v-for="word in words" :key="word">{{ word }}</option>
  </select>
  <div v-else-if="shape.kind === 'map' && context" class="map">
    <div v-for="entry in entries" :key="entry.key" class="entry">
      <span class="key" :title="context.keys[entry.key]?.about">{{ entry.key }}</span>
      <FormField
        v-if="context.keys[entry.key]"
        :path="[...path, entry.key]"
        :shape="context.keys[entry.key]!.shape"
        :name="entry.key"
      />
      <button
        v-if="!context.keys[entry.key]?.isNeeded"
        type="button"
        class="icon"
        :aria-label="`Remove ${entry.key}`"
        @click="remove([...path, entry.key])"
      >
        ×
      </button>
    </div>
    <select v-if="missing.length > 0" class="field add" :aria-label="`Add to ${name}`" @change="addKey(picked($event))">
      <option value="">add …</option>
      <option v-for="key in missing" :key="key" :value="key">{{ key }}: {{ context.keys[key]?.about }}</option>
    </select>
  </div>
  <div v-else-if="shape.kind === 'entries'" class="map">
    <div v-for="entry in entries" :key="entry.key" class="entry">
      <FormText
        :text="entry.key"
        :label="labelOf('name')"
        :line="entry.line"
        is-key
        @set="form?.edit({ kind: 'rename key', path: [...path, entry.key], to: $event })"
      />
      <FormField :path="[...path, entry.key]" :shape="shape.of" :name="entry.key" />
      <button type="button" class="icon" :aria-label="`Remove ${entry.key}`" @click="remove([...path, entry.key])">
        ×
      </button>
    </div>
    <form class="new" @submit.prevent="addEntry">
      <input v-model="newKey" class="field" :aria-label="`New name in ${name}`" placeholder="name" />
      <button type="submit" class="link" :disabled="newKey.trim() === ''">add</button>
    </form>
  </div>
  <div v-else-if="shape.kind === 'list'" class="map">
    <div v-for="(_, index) in items" :key="index" class="entry item">
      <FormField :path="[...path, index]" :shape="shape.of" :name="labelOf(index + 1)" />
      <button
        v-if="index > 0"
        type="button"
        class="icon"
        :aria-label="`Move ${labelOf(index + 1)} up`"
        @click="move(index, -1)"
      >
        ↑
      </button>
      <button type="button" class="icon" :aria-label="`Remove ${labelOf(index + 1)}`" @click="remove([...path, index])">
        ×
      </button>
    </div>
    <button type="button" class="link" @click="addItem()">add</button>
  </div>
  <span v-else class="one">
    <FormText
      :text="node?.kind === 'scalar' ? node.text : ''"
      :label="name"
      :line="node?.line ?? 0"
      :shape="shape"
      @set="set($event)"
    />
    <button v-if="other" type="button" class="link" @click="set(startOf(other))">in full</button>
  </span>
</template>

<style scoped>
.map {
  display: grid;
  gap: 4px;
  min-width: 0;
}
.entry {
  display: grid;
  grid-template-columns: 120px minmax(0, 1fr) auto;
  gap: 8px;
  align-items: start;
}
.item {
  grid-template-columns: minmax(0, 1fr) auto auto;
}
.key {
  padding-top: 4px;
  color: var(--soft);
}
.one {
  display: flex;
  gap: 8px;
  align-items: start;
  min-width: 0;
}
.new {
  display: flex;
  gap: 8px;
}
.new .field {
  width: 120px;
}
.add {
  width: 120px;
  color: var(--soft);
}
.link {
  padding-top: 3px;
  color: var(--lake);
}
</style>
