<script setup lang="ts">
// A rate or a duration: its number, and its unit to choose; what is written otherwise stays a text.
import { ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import FormText from './FormText.vue'
import { quantityOf, UNITS, type QuantityKind } from './quantities.js'

const props = defineProps<{ text: string; kind: QuantityKind; label: string; placeholder: string }>()
const emit = defineEmits<{ set: [text: string] }>()

const units = computed(() => UNITS[props.kind])
/** What stands there, or what an empty field stands for. */
const quantity = computed(() => quantityOf(props.text.trim() === '' ? props.placeholder : props.text, props.kind))
const shown = () => (props.text.trim() === '' ? '' : (quantity.value?.number ?? ''))
const number = ref(shown())
watch(
  () => props.text,
  () => (number.value = shown()),
)
function write(unit = quantity.value?.unit ?? ''): void {
  const typed = number.value.trim()
  if (typed === '') return
  // Who types the unit, too, has written all of it.
  const whole = quantityOf(typed, props.kind)
  const text = whole === undefined ? `${typed}${unit}` : `${whole.number}${whole.unit}`
  if (text !== props.text) emit('set', text)
}
</script>

<template>
  <span v-if="quantity" class="quantity">
    <ElInput
      v-model="number"
      :aria-label="label"
      :placeholder="quantityOf(placeholder, kind)?.number ?? placeholder"
      @blur="write()"
      @keydown.enter.prevent="write()"
    />
    <ElSelect :model-value="quantity.unit" :aria-label="`Unit of ${label}`" @change="(unit: string) => write(unit)">
      <ElOption v-for="one in units" :key="one.unit" :value="one.unit" :label="one.label" />
    </ElSelect>
  </span>
  <FormText v-else :text="text" :label="label" :placeholder="placeholder" :line="0" @set="$emit('set', $event)" />
</template>

<style scoped>
.quantity {
  display: grid;
  grid-template-columns: minmax(60px, 1fr) 104px;
  gap: 4px;
}
</style>
