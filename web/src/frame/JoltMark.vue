<script setup lang="ts">
// The mark of the application: a barrier on its post.
</script>

<template>
  <svg viewBox="0 0 26 26" aria-hidden="true">
    <path class="post" d="M4 24V13h5v9h3v2z" />
    <path class="arm" d="M7 14 22 4" />
  </svg>
</template>

<style scoped>
svg {
  width: 26px;
  height: 26px;
}
.post {
  fill: #fff;
}
.arm {
  stroke: #e0a53a;
  stroke-width: 3.6;
}
</style>
