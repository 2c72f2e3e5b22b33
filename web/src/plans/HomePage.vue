<script setup lang="ts">
// The first page: goes to the first project, or says how to open one.
import { ElButton, ElInput } from 'element-plus'
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import { useProjects } from '../stores/projects.js'

const router = useRouter()
const store = useProjects()
const path = ref('')
const fault = ref('')
const isReady = ref(false)

onMounted(async () => {
  await store.load().catch((error: unknown) => (fault.value = wordsOf(error)))
  const [first] = store.projects
  if (first !== undefined) await router.replace({ name: 'plans', params: { project: first.id } })
  isReady.value = true
})

async function open() {
  try {
    const project = await api.openProject(path.value)
    await router.push({ name: 'plans', params: { project: project.id } })
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
</script>

<template>
  <form v-if="isReady" class="home" @submit.prevent="open">
    <h1>Open a project</h1>
    <p class="soft">A project is a Git repository with plans in it. Say where it lies on this machine.</p>
    <ElInput v-model="path" aria-label="Folder of the project" placeholder="/home/me/booking-service" />
    <ElButton type="primary" native-type="submit" :disabled="path === ''">Open</ElButton>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
  </form>
</template>

<style scoped>
.home {
  display: grid;
  gap: 10px;
  max-width: 520px;
  padding: 32px 16px;
  justify-items: start;
}
.fault {
  color: var(--brick);
}
</style>
