<script setup lang="ts">
// The head of a page: what it is, then facts and ways on; what stands in `end` stands at its right.
defineProps<{ title: string }>()
</script>

<template>
  <div class="page-head">
    <h1>{{ title }}</h1>
    <slot></slot>
    <span v-if="$slots['end']" class="end"><slot name="end"></slot></span>
  </div>
</template>

<style scoped>
.page-head {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  padding-bottom: 10px;
}
.page-head :slotted(.el-button) {
  margin: 0;
}
.page-head :slotted(a) {
  color: var(--lake);
}
.end {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-left: auto;
}
</style>
