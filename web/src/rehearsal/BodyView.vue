<script setup lang="ts">
// A body, set out by its type: JSON and XML with margins, all else as it came.
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import { prettyBody } from './pretty-body.js'

const props = defineProps<{ text: string; type: string }>()
const isRaw = ref(false)
const pretty = computed(() => prettyBody(props.text, props.type))
</script>

<template>
  <div class="body">
    <ElButton v-if="pretty !== text" link class="soft" @click="isRaw = !isRaw">
      {{ isRaw ? 'formatted' : 'raw' }}
    </ElButton>
    <pre tabindex="0">{{ isRaw ? text : pretty }}</pre>
  </div>
</template>

<style scoped>
pre {
  max-height: 420px;
  margin: 4px 0 0;
  padding: 8px 10px;
  overflow: auto;
  border: 1px solid var(--rule);
  background: var(--white);
  color: var(--ink);
  font: 12px/1.5 var(--mono);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
