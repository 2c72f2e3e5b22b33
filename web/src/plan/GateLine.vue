<script setup lang="ts">
// One gate as a sentence, whose words can be picked and changed.
import { readSentence, type Gate, type Plan, type StopRule, type Target } from '@jolt-gate/core'
import { Close } from '@element-plus/icons-vue'
import { useEventListener } from '@vueuse/core'
import { ElButton, ElInput, ElPopover, type InputInstance } from 'element-plus'
import { computed, ref, useTemplateRef } from 'vue'
import PastRuns from './PastRuns.vue'
import { wordsOfGate, type GateWord } from './gate-words.js'
import { choicesFor, suggestedLimit } from './use-gates.js'

const props = defineProps<{
  gate: Gate
  plan: Plan
  target: Target | null
  /** What the last run saw, where it had this gate. */
  observed: string | undefined
  isHere: boolean
  mayWrite: boolean
}>()
const emit = defineEmits<{ pick: []; rule: [rule: string]; remove: [] }>()

const root = ref<HTMLElement>()
const words = computed(() => wordsOfGate(props.gate))
/** Which of the words is being changed. */
const editing = ref<number>()
const draft = ref('')
const fault = ref('')
function edit(word: GateWord, index: number): void {
  if (!props.mayWrite) return
  editing.value = index
  draft.value = word.text
  fault.value = ''
}
/** The cursor stands in what is changed, and what is typed takes its place. */
const input = useTemplateRef<InputInstance[]>('input')
function takeDraft(): void {
  input.value?.[0]?.select()
}
const ruleWith = (index: number, text = draft.value.trim()) =>
  words.value.map((word, place) => (place === index ? text : word.text)).join('')
function apply(index: number, text = draft.value.trim()): void {
  const rule = ruleWith(index, text)
  const parsed = readSentence('Gate', rule)
  if (!parsed.ok) {
    fault.value = parsed.fault.message
    return
  }
  editing.value = undefined
  if (rule !== props.gate.written) emit('rule', rule)
}
// A click elsewhere, or a Tab, leaves the word as it was: one is changed at a time.
useEventListener(document, ['pointerdown', 'focusin'], ({ target: at }: Event) => {
  if (!(at instanceof Element) || at.closest('.el-popper') !== null) return
  if (at.closest('.word') === null || root.value?.contains(at) !== true) editing.value = undefined
})

const stopWords = ({ seconds, kind }: StopRule) =>
  `stops the run after ${String(seconds)} breached ${seconds === 1 ? 'second' : 'seconds'}${kind === 'in a row' ? ' in a row' : ''}`
const suggested = computed(() => (props.observed === undefined ? undefined : suggestedLimit(props.observed)))
</script>

<template>
  <div ref="root" class="gate" :class="{ here: isHere }" @click="$emit('pick')">
    <template v-for="(word, index) in words" :key="index">
      <ElPopover
        v-if="word.kind !== 'plain'"
        :visible="editing === index"
        :persistent="false"
        placement="bottom"
        :width="260"
        @after-enter="takeDraft()"
      >
        <template #reference>
          <ElButton link class="word" :class="word.kind" @click.stop="edit(word, index)">{{ word.text }}</ElButton>
        </template>
        <form class="change" @submit.prevent="apply(index)" @keydown.esc.stop="editing = undefined">
          <ElInput ref="input" v-model="draft" :aria-label="word.kind === 'limit' ? 'Limit' : 'Word of the gate'" />
          <p v-if="fault" class="fault">{{ fault }}</p>
          <ElButton v-if="word.kind === 'limit' && suggested" link @click="draft = suggested">
            {{ suggested }}: the last run saw {{ observed }}
          </ElButton>
          <PastRuns v-if="word.kind === 'limit'" :rule="ruleWith(index)" />
          <div v-if="word.kind !== 'limit'" class="offers">
            <ElButton
              v-for="choice in choicesFor(word, gate, plan, target)"
              :key="choice"
              link
              @click="apply(index, choice)"
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
    <span v-if="gate.stop" class="soft note">{{ stopWords(gate.stop) }}</span>
    <span v-if="observed" class="soft note">last run {{ observed }}</span>
    <ElButton
      v-if="mayWrite"
      class="remove"
      link
      :icon="Close"
      :aria-label="`Remove the gate ${gate.written}`"
      @click.stop="$emit('remove')"
    />
  </div>
</template>

<style scoped>
.gate {
  position: relative;
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
.note {
  display: block;
  font-size: 12px;
}
.change {
  display: grid;
  gap: 6px;
}
.offers {
  display: grid;
  gap: 4px;
  justify-items: start;
  max-height: 180px;
  overflow: auto;
}
.offers .el-button {
  margin: 0;
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
.fault {
  font-size: 12px;
}
</style>
