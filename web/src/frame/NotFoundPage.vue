<template>
  <div class="nowhere">
    <h1>There is nothing at this address</h1>
    <p class="soft">The link may be old. <RouterLink to="/">Go to the plans</RouterLink>.</p>
  </div>
</template>

<style scoped>
.nowhere {
  padding: 32px 16px;
}
</style>
