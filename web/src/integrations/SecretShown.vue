<script setup lang="ts">
// A secret that is shown once.
import { ElButton } from 'element-plus'

defineProps<{ secret: string }>()
defineEmits<{ done: [] }>()
</script>

<template>
  <div class="shown" role="status">
    The secret, shown once: copy it now.<code>{{ secret }}</code>
    <div><ElButton size="small" @click="$emit('done')">Done</ElButton></div>
  </div>
</template>

<style scoped>
.shown {
  margin: 8px 0;
  padding: 8px 12px;
  border-left: 3px solid var(--ochre);
  background: var(--ochre-light);
}
.shown code {
  display: block;
  padding: 4px 0;
  overflow-wrap: anywhere;
}
</style>
