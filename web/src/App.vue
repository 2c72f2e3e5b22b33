<script setup lang="ts">
import FrameBar from './frame/FrameBar.vue'
</script>

<template>
  <div class="app">
    <FrameBar />
    <main class="page"><RouterView /></main>
  </div>
</template>

<style scoped>
.app {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.page {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
</style>
