<script setup lang="ts">
// Gates as sentences; their words can be picked and changed, and gates added and removed.
import { readSentence, type Gate, type Plan, type StopRule, type Target } from '@jolt-gate/core'
import { Close } from '@element-plus/icons-vue'
import { ElButton, ElInput, ElPopover } from 'element-plus'
import AddMenu from '../forms/AddMenu.vue'
import { useEventListener } from '@vueuse/core'
import { computed, nextTick, ref } from 'vue'
import GateChoices from './form/GateChoices.vue'
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

const isBuilding = ref(false)
const builder = ref<HTMLElement>()
const built = ref('')
function begin(rule: string): void {
  editing.value = undefined
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
// A click elsewhere leaves the word as it was.
useEventListener(document, 'pointerdown', ({ target: at }) => {
  if (at instanceof Element && at.closest('.el-popper, .word') === null) editing.value = undefined
})
function addBuilt(): void {
  if (!readSentence('Gate', built.value).ok) return
  emit('add', built.value)
  isBuilding.value = false
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
    <p v-if="sentences.length === 0" class="soft none">No gates yet: the default gates go for a run.</p>
    <div
      v-for="gate in sentences"
      :key="gate.at.line"
      class="gate"
      :class="{ here: gate.at.line === line }"
      @click="$emit('pick', gate.at.line)"
    >
      <template v-for="(word, index) in wordsOfGate(gate)" :key="index">
        <ElPopover
          v-if="word.kind !== 'plain'"
          :visible="isEditing(gate, index)"
          :persistent="false"
          placement="bottom"
          :width="260"
        >
          <template #reference>
            <ElButton link class="word" :class="word.kind" @click.stop="edit(gate, word, index)">
              {{ word.text }}
            </ElButton>
          </template>
          <form class="change" @submit.prevent="apply(gate, index)" @keydown.esc.stop="editing = undefined">
            <ElInput v-model="draft" :aria-label="word.kind === 'limit' ? 'Limit' : 'Word of the gate'" autofocus />
            <p v-if="fault" class="fault">{{ fault }}</p>
            <ElButton v-if="word.kind === 'limit' && suggested(gate)" link @click="draft = suggested(gate)!.limit">
              {{ suggested(gate)!.limit }}: the last run saw {{ suggested(gate)!.seen }}
            </ElButton>
            <div v-if="word.kind !== 'limit'" class="offers">
              <ElButton
                v-for="choice in choicesFor(word, gate, plan, target)"
                :key="choice"
                link
                @click="apply(gate, index, choice)"
              >
                {{ choice }}
              </ElButton>
            </div>
            <span>
              <ElButton size="small" native-type="submit">Change</ElButton>
              <ElButton size="small" @click="editing = undefined">Cancel</ElButton>
            </span>
          </form>
        </ElPopover>
        <span v-else>{{ word.text }}</span>
      </template>
      <span v-if="gate.stop" class="soft note">{{ stopOf(gate.stop) }}</span>
      <span v-if="observed[gate.rule]" class="soft note">last run {{ observed[gate.rule] }}</span>
      <ElButton
        v-if="mayWrite"
        class="remove"
        link
        :icon="Close"
        :aria-label="`Remove the gate ${gate.written}`"
        @click.stop="$emit('remove', gate)"
      />
    </div>
    <form v-if="isBuilding" ref="builder" class="build" @submit.prevent="addBuilt" @keydown.esc="isBuilding = false">
      <GateChoices v-model="built" :plan="plan" :target="target" />
      <p v-if="observed[built]" class="soft">last run {{ observed[built] }}</p>
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
.note {
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
  display: inline;
  height: auto;
  margin: 0 !important;
  color: var(--lake);
  font: inherit;
  font-weight: 600;
  text-decoration: none;
  white-space: normal;
  vertical-align: baseline;
}
.word :deep(> span) {
  display: inline;
}
.word:hover,
.limit {
  text-decoration: underline dotted;
}
.build {
  display: grid;
  gap: 8px;
  padding: 10px;
  border: 1px solid var(--lake);
  background: var(--white);
}
.offers {
  display: grid;
  gap: 4px;
  justify-items: start;
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
.offers .el-button {
  margin: 0;
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
</style>
