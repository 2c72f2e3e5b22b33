<script setup lang="ts">
// A phase: its kind first, then the fields of that kind, and what goes for all kinds.
import { CONTEXTS, nodeAt, textAt, type Path } from '@jolt-gate/core'
import { ElOption, ElRadioButton, ElRadioGroup, ElSelect, ElSwitch } from 'element-plus'
import { computed, inject } from 'vue'
import FormText from './FormText.vue'
import { aboutOf } from './labels.js'
import PartHead from './PartHead.vue'
import QuantityField from './QuantityField.vue'
import { KIND_KEYS, PHASE_KINDS, phaseOf, SPACED, type PhaseKind } from './phase-kinds.js'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ path: Path }>()
const form = inject(PLAN_FORM)
const tree = computed(() => form?.tree.value ?? undefined)
const node = computed(() => nodeAt(tree.value, props.path))
const name = computed(() => textAt(node.value, ['phase']) ?? '')
const phase = computed(() => phaseOf(node.value))
const kind = computed<PhaseKind | undefined>(() => PHASE_KINDS.find((one) => one.kind === phase.value.kind))
const list = computed(() => props.path.slice(0, -1))
const isLast = computed(() => {
  const phases = nodeAt(tree.value, list.value)
  return phases?.kind === 'list' && phases.items.length - 1 === Number(props.path.at(-1))
})
const isRest = computed(() => kind.value?.kind === 'rest')

/** Writes the phase anew: its name, what its kind needs, and what else stood there. */
function write(next: PhaseKind, fields: Readonly<Record<string, string>>): void {
  const entries = node.value?.kind === 'map' ? node.value.entries : []
  const kept = entries.flatMap(({ key, value }) =>
    key === 'phase' ||
    KIND_KEYS.includes(key) ||
    (key === 'spacing' && !SPACED.includes(next.kind)) ||
    value?.kind !== 'scalar'
      ? []
      : [[key, value.text] as const],
  )
  const named: Record<string, string> = name.value === '' ? {} : { phase: name.value }
  form?.edit({ kind: 'set', path: props.path, value: { ...named, ...next.write(fields), ...Object.fromEntries(kept) } })
}
function choose(chosen: unknown): void {
  const next = PHASE_KINDS.find((one) => one.kind === chosen)
  if (next !== undefined) write(next, phase.value.fields)
}
function setField(key: string, text: string): void {
  if (kind.value !== undefined) write(kind.value, { ...phase.value.fields, [key]: text })
}
function setKey(key: string, value: string): void {
  const path = [...props.path, key]
  if (value !== '') form?.edit({ kind: 'set', path, value })
  else if (nodeAt(node.value, [key]) !== undefined) form?.edit({ kind: 'remove', path })
}
const copyName = computed(() => {
  const phases = nodeAt(tree.value, list.value)
  const taken = new Set(phases?.kind === 'list' ? phases.items.map((one) => textAt(one, ['phase'])) : [])
  let number = 2
  while (taken.has(`${name.value} ${String(number)}`)) number++
  return { key: 'phase', value: `${name.value === '' ? 'phase' : name.value} ${String(number)}` }
})
</script>

<template>
  <PartHead
    :path="path"
    title="Phase"
    :name="name"
    :copy-name="copyName"
    @rename="name === '' ? setKey('phase', $event) : form?.rename('phase', name, $event)"
  />
  <ElRadioGroup :model-value="phase.kind" aria-label="Kind of phase" @change="choose">
    <ElRadioButton
      v-for="one in PHASE_KINDS"
      :key="one.kind"
      :value="one.kind"
      :disabled="one.kind === 'iterations' && !isLast"
      :title="one.kind === 'iterations' && !isLast ? 'only the last phase: when it ends is not known' : one.about"
      >{{ one.label }}</ElRadioButton
    >
  </ElRadioGroup>
  <p class="soft about">{{ kind?.about }}</p>
  <div v-if="kind" class="fields">
    <label v-for="field in kind.fields" :key="field.key">
      <span class="soft">{{ field.label }}</span>
      <QuantityField
        v-if="field.quantity"
        :text="phase.fields[field.key] ?? ''"
        :kind="field.quantity"
        :label="field.label"
        :placeholder="field.placeholder"
        @set="setField(field.key, $event)"
      />
      <FormText
        v-else
        :text="phase.fields[field.key] ?? ''"
        :label="field.label"
        :placeholder="field.placeholder"
        :line="0"
        @set="setField(field.key, $event)"
      />
    </label>
  </div>
  <div v-if="!isRest" class="fields">
    <label :title="aboutOf('phase', 'measure')">
      <span class="soft">Measured</span>
      <ElSwitch
        :model-value="textAt(node, ['measure']) !== 'no'"
        aria-label="Measured"
        @change="setKey('measure', $event ? '' : 'no')"
      />
    </label>
    <label v-if="SPACED.includes(phase.kind)" :title="aboutOf('phase', 'spacing')">
      <span class="soft">Arrivals</span>
      <ElSelect
        :model-value="textAt(node, ['spacing']) ?? ''"
        aria-label="Arrivals"
        placeholder="as the plan"
        clearable
        @change="setKey('spacing', String($event ?? ''))"
      >
        <ElOption value="even" label="evenly spaced" />
        <ElOption value="random" label="at random" />
      </ElSelect>
    </label>
    <label :title="aboutOf('phase', 'cap')">
      <span class="soft">Most users in flight</span>
      <FormText
        :text="textAt(node, ['cap']) ?? ''"
        label="Most users in flight"
        placeholder="as the plan"
        :line="nodeAt(node, ['cap'])?.line ?? 0"
        :shape="CONTEXTS.phase.keys['cap']!.shape"
        @set="setKey('cap', $event)"
      />
    </label>
  </div>
</template>

<style scoped>
.about {
  padding: 8px 0 12px;
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 12px;
  padding-bottom: 14px;
}
label {
  display: grid;
  gap: 4px;
  align-content: start;
  justify-items: start;
}
</style>
