<script setup lang="ts">
// The form of whatever is selected: the plan itself, a journey, a step, a phase, a gate, values or data.
import { CONTEXTS, nodeAt, pathOfLine, rootShapeOf, spotAt, textAt, type ContextName, type Path } from '@jolt-gate/core'
import { computed, inject, ref } from 'vue'
import AddMenu from '../forms/AddMenu.vue'
import FormField from './FormField.vue'
import FormText from './FormText.vue'
import ResponsePicker from './ResponsePicker.vue'
import { partOf, PLAN_FORM } from './use-form.js'

const props = defineProps<{ line: number }>()
const form = inject(PLAN_FORM)
const newJourney = ref('')

const tree = computed(() => form?.tree.value ?? undefined)
const path = computed<Path>(() => partOf(pathOfLine(tree.value, props.line)))
const node = computed(() => nodeAt(tree.value, path.value))
const spot = computed(() => spotAt(tree.value, rootShapeOf(form?.file.value ?? ''), path.value))
const context = computed<ContextName | undefined>(() => spot.value?.context)
/** The parts of a plan that have a place of their own in outline, strip and list of gates. */
const ELSEWHERE = ['jolt', 'journeys', 'load', 'gates', 'setup', 'teardown']
const keys = computed(() => {
  const all = context.value === undefined ? [] : Object.entries(CONTEXTS[context.value].keys)
  return all
    .filter(([key]) => path.value.length > 0 || !ELSEWHERE.includes(key))
    .map(([key, meant]) => ({ key, ...meant }))
})
const has = (key: string) => node.value?.kind === 'map' && node.value.entries.some((entry) => entry.key === key)
const present = computed(() => keys.value.filter(({ key, isNeeded }) => isNeeded || has(key)))
const absent = computed(() => keys.value.filter(({ key, isNeeded }) => !isNeeded && !has(key)))
const title = computed(() => {
  const last = path.value.at(-1)
  if (last === undefined) return 'The plan'
  if (typeof last === 'string')
    return path.value[0] === 'journeys' && path.value.length === 2 ? `Journey "${last}"` : last
  return CONTEXTS[context.value ?? 'plan'].about
})
const name = computed(
  () => textAt(node.value, ['name']) ?? textAt(node.value, ['group']) ?? textAt(node.value, ['phase']) ?? '',
)
const isJourney = computed(() => path.value[0] === 'journeys' && path.value.length === 2)
const journeys = computed(() => {
  const found = nodeAt(tree.value, ['journeys'])
  return found?.kind === 'map' ? found.entries : []
})

function add(chosen: string): void {
  const key = keys.value.find((one) => one.key === chosen)
  if (key === undefined) return
  const simple = ['text', 'sentence', 'whole', 'words', 'switch', 'file', 'request'].includes(key.shape.kind)
  const start = START[key.key] ?? (simple ? key.example || 'value' : undefined)
  form?.edit({ kind: 'set', path: [...path.value, key.key], value: start ?? { name: 'value' } })
}
const START: Partial<Record<string, string | string[] | Record<string, string>>> = {
  check: ['status is 200'],
  keep: { id: 'json $.id' },
  headers: { accept: 'application/json' },
  with: { name: 'value' },
  query: { page: '1' },
  json: { name: 'value' },
  form: { name: 'value' },
  sign: { bearer: '{token}' },
  values: { people: '1' },
  defaults: { timeout: '10s' },
  also: ['http://127.0.0.1:7711'],
}
const SECTIONS = [
  ['setup', { send: 'POST /sessions', name: 'sign in' }],
  ['teardown', { send: 'GET /', name: 'tidy up' }],
] as const
function addJourney(): void {
  if (newJourney.value.trim() === '') return
  form?.edit({
    kind: 'set',
    path: ['journeys', newJourney.value.trim()],
    value: { steps: [{ send: 'GET /', name: `${newJourney.value.trim()}: first`, check: ['status is 200'] }] },
  })
  newJourney.value = ''
}
function rename(to: string): void {
  const kind = has('group') ? 'group' : has('phase') ? 'phase' : 'step'
  form?.rename(kind, name.value, to)
}
</script>

<template>
  <div class="form" aria-label="Form of the plan">
    <div class="title">
      <h2>{{ title }}</h2>
      <template v-if="isJourney">
        <FormText
          :text="String(path.at(-1))"
          label="Name of the journey"
          :line="0"
          @set="form?.rename('journey', String(path.at(-1)), $event)"
        />
        <button
          type="button"
          class="link"
          @click="form?.edit({ kind: 'duplicate', path, key: `${String(path.at(-1))} 2` })"
        >
          duplicate
        </button>
        <button v-if="journeys.length > 1" type="button" class="link" @click="form?.edit({ kind: 'remove', path })">
          remove
        </button>
      </template>
    </div>
    <p v-if="!tree" class="fault">YAML cannot read this text: fix it as text first.</p>
    <template v-if="context">
      <div v-for="{ key, about, shape, isNeeded } in present" :key="key" class="row">
        <span class="key" :title="about">{{ key }}</span>
        <FormText
          v-if="(key === 'name' && path.length > 0) || key === 'group' || key === 'phase'"
          :text="name"
          :label="key"
          :line="0"
          @set="rename($event)"
        />
        <FormField v-else :path="[...path, key]" :shape="shape" :name="key" />
        <button
          v-if="!isNeeded && has(key)"
          type="button"
          class="icon"
          :aria-label="`Remove ${key}`"
          @click="form?.edit({ kind: 'remove', path: [...path, key] })"
        >
          ×
        </button>
      </div>
      <AddMenu
        v-if="absent.length > 0"
        class="add"
        label="Add a part"
        :items="absent.map(({ key, about }) => ({ value: key, label: `${key}: ${about}` }))"
        @add="add"
      />
    </template>
    <FormField v-else-if="spot" :path="path" :shape="spot.shape" :name="title" />
    <form v-if="path.length === 0" class="parts" @submit.prevent="addJourney">
      <input
        v-model="newJourney"
        class="field"
        aria-label="Name of a new journey"
        placeholder="name of a new journey"
      />
      <button type="submit" class="link" :disabled="newJourney.trim() === ''">add the journey</button>
      <button
        v-for="[section, first] in SECTIONS"
        :key="section"
        type="button"
        class="link"
        @click="form?.edit({ kind: 'insert', list: [section], index: 0, value: { ...first } })"
      >
        add to {{ section }}
      </button>
    </form>
    <ResponsePicker v-if="context === 'send'" :step="name" :path="path" />
  </div>
</template>

<style scoped>
.form {
  height: 100%;
  padding: 12px 16px;
  overflow: auto;
}
.title {
  display: flex;
  gap: 14px;
  align-items: center;
  padding-bottom: 10px;
}
h2 {
  white-space: nowrap;
}
.row {
  display: grid;
  grid-template-columns: 92px minmax(0, 1fr) 20px;
  gap: 10px;
  align-items: start;
  padding: 5px 0;
}
.key {
  padding-top: 4px;
  color: var(--soft);
}
.add {
  margin: 8px 0;
}
.parts {
  display: flex;
  gap: 14px;
  align-items: baseline;
  padding-top: 18px;
}
</style>
