<script setup lang="ts">
// Gates as sentences; the limit of each can be picked and changed.
import type { Gate, StopRule } from '@jolt-gate/core'
import { readSentence } from '@jolt-gate/core'
import { ElInput, ElPopover } from 'element-plus'
import { computed, ref, shallowRef } from 'vue'
import { wordsOfGate } from './gate-words.js'

const props = defineProps<{ gates: Gate[]; line: number }>()
const emit = defineEmits<{ pick: [line: number]; limit: [gate: Gate, before: string, after: string] }>()

/** A gate of each step stands once, as it was written. */
const sentences = computed(() => [...new Map(props.gates.map((gate) => [gate.at.line, gate])).values()])
const stopOf = (stop: StopRule) =>
  stop.kind === 'at once'
    ? 'stops the run at once'
    : `stops the run after ${String(stop.seconds)} s ${stop.kind === 'in a row' ? 'in a row' : 'in all'}`
const editing = shallowRef<Gate>()
const draft = ref('')
const fault = ref('')

function edit(gate: Gate, limit: string): void {
  editing.value = gate
  draft.value = limit
  fault.value = ''
}

function apply(gate: Gate, before: string): void {
  const rule = `${gate.written.slice(0, gate.written.length - before.length)}${draft.value.trim()}`
  const parsed = readSentence('Gate', rule)
  if (!parsed.ok) {
    fault.value = parsed.fault.message
    return
  }
  editing.value = undefined
  if (draft.value.trim() !== before) emit('limit', gate, before, draft.value.trim())
}
</script>

<template>
  <div class="gates">
    <div class="title">
      <h2>Gates</h2>
      <span class="soft">{{ sentences.length }}</span>
    </div>
    <p v-if="gates.length === 0" class="soft">
      No gate: the run would be open whatever happens. Add one, such as <code>- failed requests at most 1 %</code>.
    </p>
    <div
      v-for="gate in sentences"
      :key="gate.at.line"
      class="gate"
      :class="{ here: gate.at.line === line }"
      @click="$emit('pick', gate.at.line)"
    >
      <template v-for="(word, index) in wordsOfGate(gate.written)" :key="index">
        <ElPopover v-if="word.kind === 'limit'" :visible="editing === gate" placement="bottom" :width="230">
          <template #reference>
            <button type="button" class="word limit" @click.stop="edit(gate, word.text)">{{ word.text }}</button>
          </template>
          <form class="change" @submit.prevent="apply(gate, word.text)" @keydown.esc.stop="editing = undefined">
            <ElInput v-model="draft" aria-label="Limit" autofocus />
            <p v-if="fault" class="fault">{{ fault }}</p>
            <div class="actions">
              <button class="link" type="submit">change</button>
              <button class="link" type="button" @click="editing = undefined">leave it</button>
            </div>
          </form>
        </ElPopover>
        <span v-else :class="word.kind === 'plain' ? '' : 'word'">{{ word.text }}</span>
      </template>
      <span v-if="gate.stop" class="soft stop">{{ stopOf(gate.stop) }}</span>
    </div>
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
  color: var(--lake);
  font-weight: 600;
}
.limit {
  padding: 0;
  border: 0;
  border-bottom: 1px dotted var(--lake);
  background: none;
  font: inherit;
  font-weight: 650;
  cursor: pointer;
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
