<script setup lang="ts">
// What the load of a plan comes to, in figures.
import type { Preview } from '@jolt-gate/core'
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { grouped, lengthOf, rate } from '../text/figures.js'

const props = defineProps<{ preview: Preview | null; mayWrite: boolean }>()
defineEmits<{ add: [] }>()

const totals = computed(() =>
  props.preview === null
    ? []
    : [
        { figure: lengthOf(props.preview.seconds), label: 'length' },
        ...(props.preview.arrivals > 0 || props.preview.mostUsers === 0 ? arrivalTotals(props.preview) : []),
        ...(props.preview.mostUsers > 0
          ? [{ figure: grouped(props.preview.mostUsers), label: 'concurrent users' }]
          : []),
        ...(props.preview.usersInFlight === null
          ? []
          : [{ figure: `about ${rate(props.preview.usersInFlight)}`, label: 'users in flight at the peak' }]),
      ].slice(0, 4),
)

function arrivalTotals(preview: Preview) {
  return [
    { figure: grouped(preview.arrivals), label: 'arrivals due' },
    { figure: `about ${grouped(preview.requests)}`, label: 'requests' },
    { figure: `${rate(preview.peakRequestRate)}/s`, label: 'requests per second at the peak' },
  ]
}
</script>

<template>
  <div class="totals">
    <h2>Load <span class="soft">expected</span></h2>
    <div v-for="total in totals" :key="total.label" class="total">
      <b>{{ total.figure }}</b><span>{{ total.label }}</span>
    </div>
    <ElButton v-if="mayWrite" link class="soft" @click="$emit('add')">add a phase</ElButton>
  </div>
</template>

<style scoped>
.total {
  padding-top: 8px;
  line-height: 1.2;
}
.total b {
  display: block;
  font-size: 16px;
}
.total span {
  color: var(--soft);
  font-size: 12px;
}
h2 .soft {
  font-weight: 400;
}
</style>
