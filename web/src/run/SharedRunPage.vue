<script setup lang="ts">
// A run as the one who has a shared link reads it: the page of the run, without actions.
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import RunPage from './RunPage.vue'

const route = useRoute()
const token = computed(() => String(route.params['token']))
</script>

<template><RunPage :key="token" :shared="token" /></template>
