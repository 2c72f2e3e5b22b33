<script setup lang="ts">
// Gates as sentences; their words can be picked and changed, and gates added and removed.
import { readSentence, type Gate, type Plan, type StopRule, type Target } from '@jolt-gate/core'
import { ElInput, ElPopover } from 'element-plus'
import AddMenu from '../forms/AddMenu.vue'
import { computed, ref } from 'vue'
import { wordsOfGate, type GateWord } from './gate-words.js'
import { choicesFor, suggestedLimit, usualGates } from './use-gates.js'

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
const sentences = computed(() => [...new Map(props.plan.gates.map((gate) => [gate.at.line, gate])).values()])
const stopOf = (stop: StopRule) =>
  `stops the run after ${String(stop.seconds)} breached ${stop.seconds === 1 ? 'second' : 'seconds'}${stop.kind === 'in a row' ? ' in a row' : ''}`
const editing = ref<{ line: number; index: number }>()
const draft = ref('')
const fault = ref('')

const isEditing = (gate: Gate, index: number) => editing.value?.line === gate.at.line && editing.value.index === index
function edit(gate: Gate, word: GateWord, index: number): void {
  if (!props.mayWrite) return
  editing.value = { line: gate.at.line, index }
  draft.value = word.text
  fault.value = ''
}

function apply(gate: Gate, index: number, text = draft.value.trim()): void {
  const rule = wordsOfGate(gate)
    .map((word, place) => (place === index ? text : word.text))
    .join('')
  const parsed = readSentence('Gate', rule)
  if (!parsed.ok) {
    fault.value = parsed.fault.message
    return
  }
  editing.value = undefined
  if (rule !== gate.written) emit('rule', gate, rule)
}

const suggested = (gate: Gate) => {
  const seen = props.observed[gate.rule]
  const limit = seen === undefined ? undefined : suggestedLimit(seen)
  return seen === undefined || limit === undefined ? undefined : { seen, limit }
}
</script>

<template>
  <div class="gates">
    <div class="title">
      <h2>Gates</h2>
      <span class="soft">{{ sentences.length }}</span>
    </div>
    <p v-if="sentences.length === 0" class="soft none">No gates yet. Without a gate, no run fails.</p>
    <div
      v-for="gate in sentences"
      :key="gate.at.line"
      class="gate"
      :class="{ here: gate.at.line === line }"
      @click="$emit('pick', gate.at.line)"
    >
      <template v-for="(word, index) in wordsOfGate(gate)" :key="index">
        <ElPopover v-if="word.kind !== 'plain'" :visible="isEditing(gate, index)" placement="bottom" :width="260">
          <template #reference>
            <button type="button" class="word" :class="word.kind" @click.stop="edit(gate, word, index)">
              {{ word.text }}
            </button>
          </template>
          <form class="change" @submit.prevent="apply(gate, index)" @keydown.esc.stop="editing = undefined">
            <ElInput v-model="draft" :aria-label="word.kind === 'limit' ? 'Limit' : 'Word of the gate'" autofocus />
            <p v-if="fault" class="fault">{{ fault }}</p>
            <button
              v-if="word.kind === 'limit' && suggested(gate)"
              type="button"
              class="link"
              @click="draft = suggested(gate)!.limit"
            >
              {{ suggested(gate)!.limit }}: the last run saw {{ suggested(gate)!.seen }}
            </button>
            <div v-if="word.kind !== 'limit'" class="choices">
              <button
                v-for="choice in choicesFor(word, gate, plan, target)"
                :key="choice"
                type="button"
                class="link"
                @click="apply(gate, index, choice)"
              >
                {{ choice }}
              </button>
            </div>
            <div class="actions">
              <button class="link" type="submit">change</button>
              <button class="link" type="button" @click="editing = undefined">cancel</button>
            </div>
          </form>
        </ElPopover>
        <span v-else>{{ word.text }}</span>
      </template>
      <span v-if="gate.stop" class="soft stop">{{ stopOf(gate.stop) }}</span>
      <button
        v-if="mayWrite"
        type="button"
        class="icon remove"
        :aria-label="`Remove the gate ${gate.written}`"
        @click.stop="$emit('remove', gate)"
      >
        ×
      </button>
    </div>
    <AddMenu
      v-if="mayWrite"
      class="add"
      label="Add a gate"
      :items="usualGates(plan).map((rule) => ({ value: rule, label: rule }))"
      @add="emit('add', $event)"
    />
  </div>
</template>

<style scoped>
.stop {
  display: block;
  font-size: 12px;
}
.title {
  display: flex;
  justify-content: space-between;
  padding-bottom: 8px;
}
.gate {
  margin-bottom: 8px;
  padding: 8px 10px;
  border: 1px solid var(--rule);
  border-left: 4px solid var(--ink);
  background: var(--white);
  line-height: 1.45;
  cursor: pointer;
}
.here {
  border-left-color: var(--lake);
  background: var(--lake-light);
}
.word {
  padding: 0;
  border: 0;
  border-bottom: 1px dotted transparent;
  background: none;
  color: var(--lake);
  font: inherit;
  font-weight: 600;
  text-align: left;
  cursor: pointer;
}
.word:hover,
.limit {
  border-bottom-color: var(--lake);
}
.choices {
  display: grid;
  gap: 4px;
  max-height: 180px;
  overflow: auto;
}
.gate {
  position: relative;
}
.remove {
  position: absolute;
  top: 2px;
  right: 4px;
  opacity: 0;
}
.gate:hover .remove,
.remove:focus-visible {
  opacity: 1;
}
.add {
  margin-top: 8px;
}
.none {
  padding-bottom: 8px;
}
.change {
  display: grid;
  gap: 6px;
}
.fault {
  color: var(--brick);
  font-size: 12px;
}
.actions {
  display: flex;
  gap: 14px;
}
</style>
