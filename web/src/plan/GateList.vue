<script setup lang="ts">
// The gates of a plan; they can be changed, added and removed.
import { readSentence, type Gate, type Plan, type Target } from '@jolt-gate/core'
import { ElButton } from 'element-plus'
import { computed, nextTick, ref } from 'vue'
import AddMenu from '../forms/AddMenu.vue'
import GateLine from './GateLine.vue'
import PastRuns from './PastRuns.vue'
import GateChoices from './form/GateChoices.vue'
import { usualGates } from './use-gates.js'

const props = defineProps<{
  plan: Plan
  target: Target | null
  line: number
  observed: Record<string, string>
  mayWrite: boolean
}>()
const emit = defineEmits<{
  pick: [line: number]
  rule: [gate: Gate, rule: string]
  add: [rule: string]
  remove: [gate: Gate]
}>()

/** A gate of each step stands once, as it was written. */
const gates = computed(() => {
  const all = [...props.plan.gates, ...(props.plan.capacity ?? [])]
  return [...new Map(all.map((gate) => [gate.at.line, gate])).values()].toSorted(
    (one, other) => one.at.line - other.at.line,
  )
})

const isBuilding = ref(false)
const builder = ref<HTMLElement>()
const built = ref('')
function begin(rule: string): void {
  if (rule !== '') {
    emit('add', rule)
    return
  }
  built.value = usualGates(props.plan)[0] ?? 'p95 response time under 500 ms'
  isBuilding.value = true
  void nextTick(() => {
    builder.value?.scrollIntoView({ block: 'nearest' })
  })
}
function addBuilt(): void {
  if (!readSentence('Gate', built.value).ok) return
  emit('add', built.value)
  isBuilding.value = false
}
</script>

<template>
  <div class="gates">
    <div class="title">
      <h2>Gates</h2>
      <span class="soft">{{ gates.length }}</span>
    </div>
    <p v-if="gates.length === 0" class="soft none">No gates yet: the default gates apply.</p>
    <template v-for="gate in gates" :key="gate.at.line">
      <GateLine
        :gate="gate"
        :plan="plan"
        :target="target"
        :observed="observed[gate.rule]"
        :is-here="gate.at.line === line"
        :may-write="mayWrite"
        @pick="$emit('pick', gate.at.line)"
        @rule="(rule) => $emit('rule', gate, rule)"
        @remove="$emit('remove', gate)"
      />
      <p v-if="gate.measure.kind === 'capacity'" class="soft none">judged by <i>Find capacity…</i>, not by a run</p>
    </template>
    <form v-if="isBuilding" ref="builder" class="build" @submit.prevent="addBuilt" @keydown.esc="isBuilding = false">
      <GateChoices v-model="built" :plan="plan" :target="target" />
      <p v-if="observed[built]" class="soft">last run {{ observed[built] }}</p>
      <PastRuns :rule="built" />
      <span>
        <ElButton size="small" type="primary" native-type="submit">Add gate</ElButton>
        <ElButton size="small" @click="isBuilding = false">Cancel</ElButton>
      </span>
    </form>
    <AddMenu
      v-else-if="mayWrite"
      class="add"
      label="Add a gate"
      :items="[
        { value: '', label: 'Choose its parts…' },
        ...usualGates(plan).map((rule) => ({ value: rule, label: rule })),
      ]"
      @add="begin"
    />
  </div>
</template>

<style scoped>
.title {
  display: flex;
  justify-content: space-between;
  padding-bottom: 8px;
}
.build {
  display: grid;
  gap: 8px;
  padding: 10px;
  border: 1px solid var(--lake);
  background: var(--white);
}
.add {
  margin-top: 8px;
}
.none {
  padding-bottom: 8px;
}
</style>
