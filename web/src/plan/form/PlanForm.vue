<script setup lang="ts">
// The form of whatever is selected: the plan itself, a journey, a step, a phase, a gate, values or data.
import { nodeAt, pathOfLine, rootShapeOf, spotAt, textAt, type ContextName, type Path } from '@jolt-gate/core'
import { ElRadioButton, ElRadioGroup } from 'element-plus'
import { computed, inject, ref, watch } from 'vue'
import DataForm from './DataForm.vue'
import FormField from './FormField.vue'
import GateForm from './GateForm.vue'
import JourneyHead from './JourneyHead.vue'
import { labelOf, TITLES } from './labels.js'
import PartHead from './PartHead.vue'
import PartRows from './PartRows.vue'
import PhaseForm from './PhaseForm.vue'
import RequestForm from './RequestForm.vue'
import { partOf, PLAN_FORM } from './use-form.js'

const props = defineProps<{
  line: number
  /** Where the response of a step is shown beside the form. */
  hasNoResponse?: boolean
}>()
const form = inject(PLAN_FORM)

const tree = computed(() => form?.tree.value ?? undefined)
const path = computed<Path>(() => partOf(pathOfLine(tree.value, props.line)))
const node = computed(() => nodeAt(tree.value, path.value))
const spot = computed(() => spotAt(tree.value, rootShapeOf(form?.file.value ?? ''), path.value))
const context = computed<ContextName | undefined>(() => spot.value?.context)
const isJourney = computed(() => path.value[0] === 'journeys' && path.value.length === 2)
const isGate = computed(() => path.value[0] === 'gates' && path.value.length === 2)
const isStep = computed(() => typeof path.value.at(-1) === 'number')

/** The plan's own form is in pages; what has a place of its own in outline, strip or list of gates is in none. */
const PAGES = {
  plan: [
    ...['name', 'about', 'target', 'places', 'networks', 'on loss', 'seed', 'satisfied', 'strict', 'trace'],
    ...['connections', 'mix', 'spacing', 'cap', 'drain', 'namespaces'],
  ],
  values: ['values'],
  data: ['data'],
  'all requests': ['defaults'],
} as const
const PAGE_NAMES = ['plan', 'values', 'data', 'all requests'] as const
const page = ref<(typeof PAGE_NAMES)[number]>('plan')
watch(
  path,
  ([section]) => {
    if (section === 'values' || section === 'data') page.value = section
    if (section === 'defaults') page.value = 'all requests'
  },
  { immediate: true },
)
const isPlan = computed(() => path.value.length === 0 || ['values', 'data', 'defaults'].includes(String(path.value[0])))
/** The key that is a part's name: it stands in the head. */
const NAMES: Partial<Record<ContextName, string>> = {
  group: 'group',
  call: 'name',
  socket: 'name',
  stream: 'name',
  grpc: 'name',
  sql: 'name',
}
const nameKey = computed(() => NAMES[context.value ?? 'plan'])
const name = computed(() => (nameKey.value === undefined ? undefined : (textAt(node.value, [nameKey.value]) ?? '')))

function rename(to: string): void {
  const key = nameKey.value
  if (key === undefined) return
  if (name.value === '' || name.value === undefined) form?.edit({ kind: 'set', path: [...path.value, key], value: to })
  else form?.rename(key === 'group' ? 'group' : 'step', name.value, to)
}
</script>

<template>
  <div class="form" aria-label="Form of the plan" role="region">
    <p v-if="!tree" class="fault">YAML cannot read this text: fix it as text first.</p>
    <RequestForm v-else-if="context === 'send'" :key="String(path)" :path="path" :has-no-response="hasNoResponse" />
    <PhaseForm v-else-if="context === 'phase'" :path="path" />
    <GateForm v-else-if="isGate" :path="path" />
    <template v-else>
      <template v-if="isPlan">
        <div class="title">
          <h2>The plan</h2>
          <ElRadioGroup v-model="page" size="small" aria-label="Page of the plan">
            <ElRadioButton v-for="one in PAGE_NAMES" :key="one" :value="one">{{ labelOf(one) }}</ElRadioButton>
          </ElRadioGroup>
        </div>
      </template>
      <JourneyHead v-else-if="isJourney" :path="path" />
      <PartHead
        v-else
        :path="path"
        :title="TITLES[context ?? 'plan'] ?? labelOf(String(path.at(-1)))"
        :name="name"
        :is-off="isStep ? textAt(node, ['off']) === 'yes' : undefined"
        @rename="rename"
      />
      <DataForm v-if="isPlan && page === 'data'" />
      <PartRows v-else-if="isPlan" :path="[]" context="plan" :only="PAGES[page]" />
      <PartRows v-else-if="context" :path="path" :context="context" :without="['off', nameKey ?? '']" />
      <FormField v-else-if="spot" :path="path" :shape="spot.shape" :name="labelOf(String(path.at(-1)))" />
      <p v-if="isPlan && page === 'plan'" class="soft hint">
        Journeys, steps, phases and gates have a form of their own: choose one on the left, on the load, or on the
        right.
      </p>
    </template>
  </div>
</template>

<style scoped>
.form {
  height: 100%;
  padding: 14px 18px;
  overflow: auto;
}
.title {
  display: flex;
  gap: 16px;
  align-items: center;
  padding-bottom: 12px;
}
h2 {
  font-size: 14px;
  white-space: nowrap;
}
.hint {
  padding-top: 14px;
}
</style>
