<script setup lang="ts">
// The pages about people: your own for everybody, the others for administrators.
import { computed } from 'vue'
import { useSession } from '../stores/session.js'

const session = useSession()
const pages = computed(() => [
  { name: 'account', label: 'Your account' },
  ...(session.isAdministrator
    ? [
        { name: 'people', label: 'People' },
        { name: 'access', label: 'Tokens and links' },
        { name: 'audit-log', label: 'Audit log' },
      ]
    : []),
])
</script>

<template>
  <nav class="tabs" aria-label="People">
    <RouterLink v-for="page in pages" :key="page.name" :to="{ name: page.name }" active-class="here">{{
      page.label
    }}</RouterLink>
  </nav>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: 22px;
  margin-bottom: 18px;
  border-bottom: 1px solid var(--rule);
}
.tabs a {
  padding: 4px 0 7px;
  color: var(--soft);
  text-decoration: none;
}
.tabs a:hover {
  color: var(--ink);
}
.tabs .here {
  margin-bottom: -1px;
  border-bottom: 2px solid var(--ink);
  color: var(--ink);
  font-weight: 600;
}
</style>
