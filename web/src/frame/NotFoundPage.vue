<template>
  <div class="nowhere">
    <h1>Not found</h1>
    <p class="soft">
      There is no page at this address; the link may be old. <RouterLink to="/">Open plans</RouterLink>.
    </p>
  </div>
</template>

<style scoped>
.nowhere {
  padding: 32px 16px;
}
</style>
