<script setup lang="ts">
// A text of the form: written when it is left or Enter is pressed, with what may stand there offered.
import type { Shape } from '@jolt-gate/core'
import { ElAutocomplete, ElInput, type AutocompleteInstance } from 'element-plus'
import { computed, inject, onMounted, ref, watch } from 'vue'
import { offersFor } from './offers.js'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{
  text: string
  label: string
  line: number
  shape?: Shape
  isKey?: boolean
  placeholder?: string
}>()
const emit = defineEmits<{ set: [text: string] }>()
const form = inject(PLAN_FORM)
const draft = ref(props.text)
const written = ref(props.text)
watch(
  () => props.text,
  (next) => (draft.value = written.value = next),
)

const isLong = computed(() => props.text.includes('\n') || props.text.length > 90)
const problem = computed(() =>
  form?.problems.value.find(({ line, severity }) => line === props.line && severity === 'error' && !props.isKey),
)

function suggest(so: string): { value: string }[] {
  const around = form?.around.value
  if (around === undefined || props.shape === undefined) return []
  return offersFor(so, props.shape, around)
    .filter((value) => value !== so)
    .map((value) => ({ value }))
}

const list = ref<AutocompleteInstance>()
// The library names a chosen suggestion before there is any.
onMounted(() => list.value?.inputRef?.input?.removeAttribute('aria-activedescendant'))

function write(): void {
  if (draft.value === written.value) return
  written.value = draft.value
  emit('set', draft.value)
}
/** A suggestion that the keys have chosen arrives after the key. */
const writeSoon = () => setTimeout(write)
function leave(event: Event): void {
  draft.value = written.value
  if (event.target instanceof HTMLElement) event.target.blur()
}
</script>

<template>
  <span class="text">
    <ElInput
      v-if="isLong"
      v-model="draft"
      class="mono"
      type="textarea"
      :rows="Math.min(12, Math.max(3, draft.split('\n').length))"
      :aria-label="label"
      @change="write()"
    />
    <ElInput
      v-else-if="shape === undefined"
      v-model="draft"
      class="mono"
      :class="{ wrong: problem }"
      :aria-label="label"
      :aria-invalid="problem !== undefined"
      :placeholder="placeholder ?? ''"
      @blur="write()"
      @keydown.enter.prevent="write()"
      @keydown.esc="leave"
    />
    <ElAutocomplete
      v-else
      ref="list"
      v-model="draft"
      class="mono"
      :class="{ wrong: problem }"
      :fetch-suggestions="suggest"
      :debounce="0"
      :hide-loading="true"
      :fit-input-width="false"
      :aria-label="label"
      :aria-invalid="problem !== undefined"
      :placeholder="placeholder ?? ''"
      @select="writeSoon()"
      @blur="writeSoon()"
      @keydown.enter.prevent="writeSoon()"
      @keydown.esc="leave"
    />
    <span v-if="problem" class="fault">{{ problem.message }}</span>
  </span>
</template>

<style scoped>
.text {
  display: grid;
  flex: 1;
  min-width: 0;
}
.fault {
  font-size: 12px;
}
</style>
