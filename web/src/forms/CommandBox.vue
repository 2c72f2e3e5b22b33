<script setup lang="ts">
// A command as a shell takes it, to be copied.
import { useClipboard } from '@vueuse/core'
import { ElButton } from 'element-plus'

defineProps<{ text: string }>()
const { copy, copied, isSupported } = useClipboard()
</script>

<template>
  <div class="command">
    <pre><code>{{ text }}</code></pre>
    <ElButton v-if="isSupported" link size="small" @click="copy(text)">{{ copied ? 'Copied' : 'Copy' }}</ElButton>
  </div>
</template>

<style scoped>
.command {
  position: relative;
  margin-bottom: 12px;
  padding: 8px 12px;
  border: 1px solid var(--rule);
  background: var(--sheet);
  text-align: right;
}
pre {
  margin: 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font-size: 12px;
  text-align: left;
}
</style>
