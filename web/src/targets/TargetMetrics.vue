<script setup lang="ts">
// Metrics of a target, and a look at what a page of metrics offers.
import { ElButton, ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { MetricFamily, TargetLine } from '@jolt-gate/core/api'

const props = defineProps<{ project: number; target: TargetLine }>()
const url = ref(props.target.target?.metrics[0]?.url ?? '/metrics')
const families = ref<MetricFamily[]>()
const fault = ref('')
const isBusy = ref(false)
const read = computed(() => new Set(props.target.target?.metrics.map(({ family }) => family)))

async function tryOut(): Promise<void> {
  fault.value = ''
  isBusy.value = true
  try {
    families.value = (await api.metric(props.project, props.target.name, url.value)).families
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
    <table v-if="families" class="table">
      <tbody>
        <tr v-for="family in families" :key="family.name">
          <td>
            <code>{{ family.name }}</code>
            <span v-if="read.has(family.name)" class="soft"> in use</span>
          </td>
          <td class="soft">{{ family.type }}</td>
          <td class="figure">{{ family.samples[0]?.value }}</td>
        </tr>
      </tbody>
    </table>
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
.table td {
  padding: 4px 6px;
  overflow-wrap: anywhere;
}
</style>
