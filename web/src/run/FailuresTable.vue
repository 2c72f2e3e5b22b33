<script setup lang="ts">
// Failures by step and kind, with when each began and a sample response.
import type { StepSummary } from '@jolt-gate/core'
import { computed } from 'vue'
import { clock, grouped } from '../text/figures.js'

const props = defineProps<{ steps: StepSummary[] }>()
const rows = computed(() =>
  props.steps
    .flatMap((step) => step.failures.map((failure) => ({ step: step.name, ...failure })))
    .sort((a, b) => b.count - a.count),
)
</script>

<template>
  <p v-if="rows.length === 0" class="soft none">No failures.</p>
  <table v-else class="table">
    <thead>
      <tr>
        <th>step</th>
        <th>kind</th>
        <th>what</th>
        <th class="figure">times</th>
        <th class="figure">first at</th>
        <th>sample response</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="`${row.step} ${row.kind} ${row.detail}`">
        <td>{{ row.step }}</td>
        <td>{{ row.kind }}</td>
        <td>{{ row.detail }}</td>
        <td class="figure">{{ grouped(row.count) }}</td>
        <td class="figure">{{ clock(row.firstAtMs / 1000) }}</td>
        <td>
          <code>{{ row.sample.slice(0, 120) }}</code>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.none {
  padding: 8px;
}
</style>
