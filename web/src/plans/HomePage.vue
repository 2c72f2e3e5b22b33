<script setup lang="ts">
// The first page: goes to the first project, or adds one.
import { ElButton, ElInput } from 'element-plus'
import { computed, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import { useProjects } from '../stores/projects.js'
import { useSession } from '../stores/session.js'

const WAYS = [
  {
    key: 'name',
    title: 'Empty project',
    about: 'A new Git repository on this server.',
    placeholder: 'booking service',
    label: 'Name of the project',
  },
  {
    key: 'clone',
    title: 'Clone a repository',
    about: 'With Git, over HTTP(S) or from a folder of the server.',
    placeholder: 'https://git.larkholm.example/booking.git',
    label: 'URL or folder to clone',
  },
  {
    key: 'path',
    title: 'Open a folder',
    about: 'A Git working copy on the server’s machine.',
    placeholder: '/home/me/booking-service',
    label: 'Folder of the project',
  },
] as const

const route = useRoute()
const router = useRouter()
const store = useProjects()
const session = useSession()
const values = ref({ name: '', clone: '', path: '' })
const fault = ref('')
const isReady = ref(false)
const busy = ref('')
const adds = computed(() => route.query['add'] === 'yes')

onMounted(async () => {
  await store.load().catch((error: unknown) => (fault.value = wordsOf(error)))
  const [first] = store.projects
  if (first !== undefined && !adds.value) await router.replace({ name: 'plans', params: { project: first.id } })
  isReady.value = true
})

async function add(key: (typeof WAYS)[number]['key']): Promise<void> {
  fault.value = ''
  busy.value = key
  try {
    const value = values.value[key]
    const project = await api.addProject(
      key === 'name' ? { name: value } : key === 'clone' ? { clone: value } : { path: value },
    )
    await store.load()
    await router.push({ name: 'plans', params: { project: project.id } })
  } catch (error) {
    fault.value = wordsOf(error)
  }
  busy.value = ''
}
</script>

<template>
  <div v-if="isReady" class="home">
    <h1>{{ store.projects.length === 0 ? 'The first project' : 'Add a project' }}</h1>
    <p class="soft">A project is a Git repository of plans, targets and data files, with its runs.</p>
    <p v-if="!session.isAdministrator" class="soft">Only an administrator can add projects.</p>
    <div v-else class="ways">
      <form v-for="way in WAYS" :key="way.key" @submit.prevent="add(way.key)">
        <h2>{{ way.title }}</h2>
        <p class="soft">{{ way.about }}</p>
        <ElInput v-model="values[way.key]" :aria-label="way.label" :placeholder="way.placeholder" />
        <ElButton
          :type="way.key === 'name' ? 'primary' : 'default'"
          native-type="submit"
          :loading="busy === way.key"
          :disabled="values[way.key].trim() === ''"
          >{{ way.title }}</ElButton
        >
      </form>
    </div>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
  </div>
</template>

<style scoped>
.home {
  display: grid;
  gap: 10px;
  padding: 32px 16px;
}
.ways {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 40px;
  max-width: 1100px;
  padding-top: 20px;
}
form {
  display: grid;
  gap: 8px;
  align-content: start;
  justify-items: start;
}
</style>
