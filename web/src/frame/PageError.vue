<script setup lang="ts">
// Something went wrong on a page: what, and the way on.
import { ElButton } from 'element-plus'
defineProps<{ title: string; detail: string }>()
defineEmits<{ again: [] }>()
</script>

<template>
  <div class="error" role="alert">
    <h2>{{ title }}</h2>
    <p>{{ detail }}</p>
    <ElButton link @click="$emit('again')">Try again</ElButton>
  </div>
</template>

<style scoped>
.error {
  margin: 16px;
  padding: 12px 14px;
  border-left: 4px solid var(--brick);
  background: var(--sheet);
}
</style>
