<script setup lang="ts">
// A gate of the plan: its sentence built from choices, the last run beside it, and when it stops the run.
import { CONTEXTS, nodeAt, textAt, type Path } from '@jolt-gate/core'
import { computed, inject } from 'vue'
import FormText from './FormText.vue'
import GateChoices from './GateChoices.vue'
import PastRuns from '../PastRuns.vue'
import PartHead from './PartHead.vue'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ path: Path }>()
const form = inject(PLAN_FORM)
const node = computed(() => nodeAt(form?.tree.value ?? undefined, props.path))
const isMap = computed(() => node.value?.kind === 'map')
const written = computed(() => textAt(node.value, isMap.value ? ['rule'] : []) ?? '')
const around = computed(() => form?.around.value)
const seen = computed(() => form?.observed.value[written.value])

function setRule(rule: string): void {
  if (rule !== written.value)
    form?.edit({ kind: 'set', path: isMap.value ? [...props.path, 'rule'] : props.path, value: rule })
}
/** A gate without a stop rule is a sentence alone. */
function setStop(stop: string): void {
  const rule = written.value
  form?.edit({ kind: 'set', path: props.path, value: stop.trim() === '' ? rule : { rule, stop: stop.trim() } })
}
</script>

<template>
  <PartHead :path="path" title="Gate" />
  <div v-if="around" class="built">
    <GateChoices :model-value="written" :plan="around.plan" :target="around.target" @update:model-value="setRule" />
    <p class="soft">{{ seen === undefined ? 'No run has measured it yet.' : `The last run saw ${seen}.` }}</p>
    <PastRuns :rule="written" />
    <label>
      <span class="soft">Stops the run (optional)</span>
      <FormText
        :text="textAt(node, ['stop']) ?? ''"
        label="Stops the run"
        placeholder="after 10 breached seconds in a row"
        :line="nodeAt(node, ['stop'])?.line ?? 0"
        :shape="CONTEXTS.gate.keys['stop']!.shape"
        @set="setStop"
      />
    </label>
  </div>
</template>

<style scoped>
.built {
  display: grid;
  gap: 12px;
  max-width: 520px;
}
label {
  display: grid;
  gap: 4px;
}
</style>
