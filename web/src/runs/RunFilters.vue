<script setup lang="ts">
// What narrows the list of runs; all of it stands in the page's address.
import { RUN_VERDICTS, type RunFilter } from '@jolt-gate/core/api'
import { verdictWords } from '@jolt-gate/core'
import { useQuery } from '@tanstack/vue-query'
import { watchDebounced } from '@vueuse/core'
import { ElButton, ElDatePicker, ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { api } from '../api/client.js'

const props = defineProps<{ project: number; filter: RunFilter }>()
const emit = defineEmits<{ change: [filter: RunFilter] }>()
const TYPED_MS = 250

const { data: choices } = useQuery({
  queryKey: ['run choices', computed(() => props.project)],
  queryFn: () => api.runChoices(props.project),
})
const SELECTS = [
  { key: 'plan', label: 'All plans', from: 'plans' },
  { key: 'target', label: 'All targets', from: 'targets' },
  { key: 'branch', label: 'All branches', from: 'branches' },
] as const
const days = computed(() =>
  props.filter.from === undefined || props.filter.to === undefined ? undefined : [props.filter.from, props.filter.to],
)
function setDays(next: unknown): void {
  const picked: unknown[] = Array.isArray(next) ? next.map((one: unknown) => one) : []
  const [from, to] = picked
  set({ from: orNone(from), to: orNone(to) })
}
const isNarrowed = computed(() => Object.entries(props.filter).some(([key, value]) => key !== 'page' && value))

/** Another filter begins with its first page. */
function set(some: RunFilter): void {
  emit('change', { ...props.filter, page: undefined, ...some })
}
const orNone = (value: unknown) => (typeof value === 'string' && value !== '' ? value : undefined)

const search = ref(props.filter.search ?? '')
watch(
  () => props.filter.search ?? '',
  (next) => (search.value = next),
)
watchDebounced(
  search,
  (next) => {
    if (next !== (props.filter.search ?? '')) set({ search: orNone(next) })
  },
  { debounce: TYPED_MS },
)
</script>

<template>
  <div class="filters" role="search" aria-label="Filter the runs">
    <ElInput v-model="search" class="search" clearable aria-label="Search" placeholder="Search name, commit, person" />
    <ElSelect
      class="verdict"
      :model-value="filter.verdict ?? ''"
      :empty-values="[undefined]"
      aria-label="Verdict"
      @change="(next: unknown) => set({ verdict: RUN_VERDICTS.find((one) => one === next) })"
    >
      <ElOption value="" label="All verdicts" />
      <ElOption v-for="one in RUN_VERDICTS" :key="one" :value="one" :label="verdictWords(one)" />
    </ElSelect>
    <ElSelect
      v-for="{ key, label, from } in SELECTS"
      :key="key"
      :class="key"
      :model-value="filter[key] ?? ''"
      :empty-values="[undefined]"
      filterable
      :aria-label="label.slice(4)"
      @change="(next: unknown) => set({ [key]: orNone(next) })"
    >
      <ElOption value="" :label="label" />
      <ElOption v-for="one in choices?.[from] ?? []" :key="one" :value="one" />
    </ElSelect>
    <ElDatePicker
      :model-value="days"
      class="days"
      type="daterange"
      value-format="YYYY-MM-DD"
      start-placeholder="from"
      end-placeholder="to"
      range-separator="–"
      aria-label="Days, in UTC"
      @update:model-value="setDays"
    />
    <ElButton v-if="isNarrowed" link @click="emit('change', {})">All runs</ElButton>
  </div>
</template>

<style scoped>
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  padding-bottom: 10px;
}
.search {
  width: 230px;
}
.verdict {
  width: 160px;
}
.plan {
  width: 200px;
}
.target,
.branch {
  width: 140px;
}
.filters :deep(.days) {
  flex: none;
  width: 230px;
}
</style>
