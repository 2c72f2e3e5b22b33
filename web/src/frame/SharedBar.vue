<script setup lang="ts">
// The bar above what is read by a shared link: whose page this is, and that nothing can be done here.
import JoltMark from './JoltMark.vue'
</script>

<template>
  <header class="bar">
    <span class="mark"><JoltMark /> Jolt Gate</span>
    <span class="what">Shared run, read-only</span>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  flex: none;
  gap: 18px;
  align-items: center;
  height: 44px;
  padding: 0 14px;
  background: var(--bar);
  color: var(--bar-text);
}
.mark {
  display: flex;
  gap: 10px;
  align-items: center;
  color: #fff;
  font-size: 15.5px;
  font-weight: 650;
}
</style>
