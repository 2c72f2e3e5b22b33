<script setup lang="ts">
// The rules of retention as choices: how long all runs are kept, and which are kept longer.
import type { KeepRule } from '@jolt-gate/core'
import { useQuery } from '@tanstack/vue-query'
import { ElButton, ElInputNumber, ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import { api } from '../api/client.js'

type Only = NonNullable<KeepRule['only']>

const props = defineProps<{ project: number; rules: readonly KeepRule[] }>()
const emit = defineEmits<{ change: [rules: KeepRule[]] }>()
const DEFAULT_DAYS = 90
const LONGER_DAYS = 365
/** As many digits as a rule takes. */
const MOST_DAYS = 99_999

const { data: choices } = useQuery({
  queryKey: ['run choices', computed(() => props.project)],
  queryFn: () => api.runChoices(props.project),
})
const kept = computed(() =>
  props.rules.flatMap((rule, index) => (rule.only === undefined ? [] : [{ ...rule, only: rule.only, index }])),
)
const labelOf = ({ label }: Only) =>
  label === undefined ? '' : `${label.name}${label.value === undefined ? '' : `=${label.value}`}`
const orNone = (value: unknown) => (typeof value === 'string' && value !== '' ? value : undefined)

function put(index: number, rule: KeepRule): void {
  emit('change', props.rules.with(index, rule))
}
function setOnly(index: number, days: number, only: Only): void {
  // Without any of the three it would be a second rule for all runs.
  const isAny = only.isOpen || only.branch !== undefined || only.label !== undefined
  put(index, { days, only: isAny ? only : { ...only, isOpen: true } })
}
function setLabel(index: number, days: number, only: Only, value: unknown): void {
  const [name, ...rest] = (orNone(value) ?? '').split('=')
  const label =
    name === undefined || name === '' ? undefined : { name, value: rest.length === 0 ? undefined : rest.join('=') }
  setOnly(index, days, { ...only, label })
}
function add(): void {
  const only = { isOpen: true, branch: choices.value?.branches[0], label: undefined }
  emit('change', [...props.rules, { days: LONGER_DAYS, only }])
}
</script>

<template>
  <div class="rules">
    <p class="rule">
      <ElSelect
        class="all"
        :model-value="rules.length === 0 ? 'all' : 'days'"
        aria-label="All runs"
        @change="(next: unknown) => emit('change', next === 'all' ? [] : [{ days: DEFAULT_DAYS, only: undefined }])"
      >
        <ElOption value="all" label="Keep all runs" />
        <ElOption value="days" label="Keep runs for" />
      </ElSelect>
      <template v-if="rules[0]">
        <ElInputNumber
          :model-value="rules[0].days"
          :min="1"
          :max="MOST_DAYS"
          :precision="0"
          controls-position="right"
          aria-label="Days"
          @change="(next: number | undefined) => put(0, { days: next ?? DEFAULT_DAYS, only: undefined })"
        />
        days
      </template>
    </p>
    <p v-for="{ index, days, only } in kept" :key="index" class="rule">
      but
      <ElSelect
        class="which"
        :model-value="only.isOpen ? 'open' : 'any'"
        :aria-label="`Verdict of rule ${index}`"
        @change="(next: unknown) => setOnly(index, days, { ...only, isOpen: next === 'open' })"
      >
        <ElOption value="any" label="runs" />
        <ElOption value="open" label="open runs" />
      </ElSelect>
      <ElSelect
        class="branch"
        :model-value="only.branch ?? ''"
        :empty-values="[undefined]"
        filterable
        :aria-label="`Branch of rule ${index}`"
        @change="(next: unknown) => setOnly(index, days, { ...only, branch: orNone(next) })"
      >
        <ElOption value="" label="of any branch" />
        <ElOption v-for="one in choices?.branches ?? []" :key="one" :value="one" :label="`of ${one}`" />
      </ElSelect>
      <ElSelect
        class="label"
        :model-value="labelOf(only)"
        :empty-values="[undefined]"
        filterable
        :aria-label="`Label of rule ${index}`"
        @change="(next: unknown) => setLabel(index, days, only, next)"
      >
        <ElOption value="" label="with any label" />
        <ElOption v-for="one in choices?.labels ?? []" :key="one" :value="one" />
      </ElSelect>
      <ElSelect
        class="length"
        :model-value="days === Infinity ? 'ever' : 'days'"
        :aria-label="`Length of rule ${index}`"
        @change="(next: unknown) => put(index, { days: next === 'ever' ? Infinity : LONGER_DAYS, only })"
      >
        <ElOption value="ever" label="for ever" />
        <ElOption value="days" label="for days" />
      </ElSelect>
      <ElInputNumber
        v-if="days !== Infinity"
        :model-value="days"
        :min="1"
        :max="MOST_DAYS"
        :precision="0"
        controls-position="right"
        :aria-label="`Days of rule ${index}`"
        @change="(next: number | undefined) => put(index, { days: next ?? LONGER_DAYS, only })"
      />
      <ElButton link type="danger" @click="emit('change', rules.toSpliced(index, 1))">Remove</ElButton>
    </p>
    <ElButton v-if="rules.length > 0" link type="primary" @click="add()">+ Keep some longer</ElButton>
  </div>
</template>

<style scoped>
.rules {
  display: grid;
  gap: 8px;
  justify-items: start;
  padding-bottom: 10px;
}
.rule {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.all,
.branch,
.label {
  width: 150px;
}
.which,
.length {
  width: 110px;
}
.rule :deep(.el-input-number) {
  width: 110px;
}
</style>
