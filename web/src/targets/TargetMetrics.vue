<script setup lang="ts">
// Metrics of a target, and a look at what a page of metrics offers.
import { useIntervalFn } from '@vueuse/core'
import { ElButton, ElInput, ElTable, ElTableColumn } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { MetricFamily, TargetLine } from '@jolt-gate/core/api'

const props = defineProps<{ project: number; target: TargetLine; mayAdd: boolean }>()
defineEmits<{ add: [family: string, url: string] }>()
const url = ref(props.target.target?.metrics[0]?.url ?? '/metrics')
const families = ref<MetricFamily[]>()
const fault = ref('')
const isBusy = ref(false)
const read = computed(() => new Set(props.target.target?.metrics.map(({ family }) => family)))

/** Values of each family since one began to look. */
const seen = ref(new Map<string, number[]>())
const MOST_SEEN = 30
const LOOK_MS = 2000
const rows = computed(() =>
  (families.value ?? []).map(({ name, samples }) => {
    const values = seen.value.get(name) ?? []
    const [least, most] = [Math.min(...values), Math.max(...values)]
    const y = (value: number) => (most === least ? 9 : 16 - (14 * (value - least)) / (most - least))
    const line = values.map((value, index) => `${String(index * 2)},${y(value).toFixed(1)}`).join(' ')
    return { name, value: samples[0]?.value, isRead: read.value.has(name), line: values.length > 1 ? line : '' }
  }),
)
async function look(): Promise<void> {
  const next = (await api.metric(props.project, props.target.name, url.value)).families
  families.value = next
  for (const { name, samples } of next) {
    const value = Number(samples[0]?.value)
    if (Number.isFinite(value)) seen.value.set(name, [...(seen.value.get(name) ?? []), value].slice(-MOST_SEEN))
  }
}
/** A page of metrics does not say when it changes: it is read while one looks, and not while the page is hidden. */
useIntervalFn(() => {
  if (families.value !== undefined && document.visibilityState === 'visible')
    look().catch((error: unknown) => (fault.value = wordsOf(error)))
}, LOOK_MS)

async function tryOut(): Promise<void> {
  fault.value = ''
  isBusy.value = true
  try {
    seen.value = new Map()
    await look()
  } catch (error) {
    fault.value = wordsOf(error)
  }
  isBusy.value = false
}
</script>

<template>
  <section>
    <h2>Metrics</h2>
    <p v-if="target.target?.metrics.length === 0" class="soft">
      No metrics: read from the target every second of a run
    </p>
    <div v-for="metric in target.target?.metrics ?? []" :key="metric.name" class="metric">
      <b>{{ metric.name }}</b><span class="soft">{{ metric.family }}</span>
    </div>
    <form class="try" @submit.prevent="tryOut">
      <ElInput v-model="url" aria-label="URL of the metrics" />
      <ElButton native-type="submit" :loading="isBusy">Read now</ElButton>
    </form>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <ElTable v-if="families" :data="rows" size="small" max-height="320" aria-label="Metric families at this URL">
      <ElTableColumn label="family" min-width="150">
        <template #default="{ row }">
          <code>{{ row.name }}</code>
          <span v-if="row.isRead" class="soft"> in use</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="while you look" width="76">
        <template #default="{ row }">
          <svg v-if="row.line" class="line" viewBox="0 0 60 18" :aria-label="`${row.name} while you look`" role="img">
            <polyline :points="row.line" />
          </svg>
        </template>
      </ElTableColumn>
      <ElTableColumn label="now" width="76" align="right">
        <template #default="{ row }">{{ row.value }}</template>
      </ElTableColumn>
      <ElTableColumn width="52" align="right">
        <template #default="{ row }">
          <ElButton
            v-if="mayAdd && !row.isRead"
            link
            :aria-label="`Add ${row.name}`"
            @click="$emit('add', row.name, url)"
            >Add</ElButton
          >
        </template>
      </ElTableColumn>
    </ElTable>
  </section>
</template>

<style scoped>
h2 {
  padding: 16px 0 6px;
}
.metric {
  display: flex;
  gap: 10px;
  justify-content: space-between;
  padding: 4px 0;
  border-top: 1px solid var(--rule);
}
.try {
  display: flex;
  gap: 8px;
  padding: 8px 0;
}
.line {
  width: 60px;
  height: 18px;
}
.line polyline {
  fill: none;
  stroke: var(--lake);
  stroke-width: 1.3;
}
</style>
