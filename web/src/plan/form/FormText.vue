<script setup lang="ts">
// A text of the form: written when it is left or Enter is pressed, with what may stand there offered.
import { completeSentence, namesKnown, type Shape } from '@jolt-gate/core'
import { computed, inject, ref, useId, watch } from 'vue'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{ text: string; label: string; line: number; shape?: Shape; isKey?: boolean }>()
const emit = defineEmits<{ set: [text: string] }>()
const form = inject(PLAN_FORM)
const draft = ref(props.text)
const hasFocus = ref(false)
const list = useId()
watch(
  () => props.text,
  (next) => (draft.value = next),
)

const isLong = computed(() => props.text.includes('\n') || props.text.length > 90)
const problem = computed(() =>
  form?.problems.value.find(({ line, severity }) => line === props.line && severity === 'error' && !props.isKey),
)

/** Whole texts that may come of what is written so far. */
const offers = computed(() => {
  const around = form?.around.value
  const { shape } = props
  if (!hasFocus.value || around === undefined || shape === undefined) return []
  const brace = /\{([\w.]*)$/.exec(draft.value)
  if (brace !== null) return namesKnown(around).map((name) => `${draft.value.slice(0, brace.index)}{${name}}`)
  if (shape.kind === 'file') return around.files.filter((path) => path.endsWith(shape.ending))
  if (shape.kind !== 'sentence') return []
  return completeSentence(shape.rule, draft.value, around).map((rest) => draft.value.slice(0, rest.from) + rest.text)
})

function write(): void {
  hasFocus.value = false
  if (draft.value !== props.text) emit('set', draft.value)
}
</script>

<template>
  <span class="text">
    <textarea v-if="isLong" v-model="draft" class="field mono" rows="4" :aria-label="label" @change="write()" />
    <input
      v-else
      v-model="draft"
      class="field mono"
      :class="{ wrong: problem }"
      :list="list"
      :aria-label="label"
      :aria-invalid="problem !== undefined"
      @focus="hasFocus = true"
      @blur="write()"
      @keydown.enter.prevent="write()"
      @keydown.esc="draft = text"
    />
    <datalist :id="list">
      <option v-for="offer in offers" :key="offer" :value="offer" />
    </datalist>
    <span v-if="problem" class="fault">{{ problem.message }}</span>
  </span>
</template>

<style scoped>
.text {
  display: grid;
  flex: 1;
  min-width: 0;
}
.field {
  width: 100%;
}
.wrong {
  border-color: var(--brick);
}
.fault {
  font-size: 12px;
}
</style>
