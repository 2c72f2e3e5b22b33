<script setup lang="ts">
// The trace of a request: a link where the target says where traces are opened, else its id.
import { ElLink } from 'element-plus'
import { computed } from 'vue'

const props = defineProps<{ trace: string; traces: string | undefined }>()
const address = computed(() => props.traces?.replace('{trace}', encodeURIComponent(props.trace)))
</script>

<template>
  <ElLink v-if="address" :href="address" target="_blank" rel="noopener noreferrer" :title="trace"
    >{{ trace.slice(0, 8) }}…</ElLink
  >
  <code v-else :title="trace">{{ trace.slice(0, 8) }}…</code>
</template>
