<script setup lang="ts">
// The branch that the person looks at; another can be chosen, or made from it. The others' pages stay where they are.
import { useQueryClient } from '@tanstack/vue-query'
import { ElButton, ElInput, ElPopover } from 'element-plus'
import { ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import { useBranchLookedAt } from '../stores/branches.js'

/** @prop held - why another branch cannot be looked at now */
const props = withDefaults(
  defineProps<{ project: number; branch: string | null; mayWrite: boolean; held?: string }>(),
  { held: '' },
)
const emit = defineEmits<{ switched: [] }>()
const looked = useBranchLookedAt()
const queries = useQueryClient()
const route = useRoute()
const router = useRouter()
const branches = ref<string[]>([])
const name = ref('')
const fault = ref('')
const isOpen = ref(false)

async function list(): Promise<void> {
  fault.value = ''
  try {
    branches.value = (await api.branches(props.project)).branches
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
watch(isOpen, (open) => {
  if (open) void list()
})
async function look(branch: string): Promise<void> {
  looked.look(props.project, branch)
  isOpen.value = false
  await router.replace({ query: { ...route.query, branch } })
  await queries.invalidateQueries()
  emit('switched')
}
async function make(): Promise<void> {
  fault.value = ''
  try {
    const made = name.value
    await api.newBranch(props.project, made)
    name.value = ''
    await look(made)
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
</script>

<template>
  <ElPopover v-model:visible="isOpen" trigger="click" placement="bottom-start" :width="280">
    <template #reference>
      <ElButton link :aria-expanded="isOpen" @keydown.esc="isOpen = false">
        branch&nbsp;<b>{{ branch ?? 'none' }}</b>
      </ElButton>
    </template>
    <div class="branches" @keydown.esc.stop="isOpen = false">
      <p v-if="held" class="soft">{{ held }}</p>
      <ElButton v-for="one in branches" :key="one" link :disabled="one === branch || held !== ''" @click="look(one)">
        {{ one }}<span v-if="one === branch" class="soft">, shown</span>
      </ElButton>
      <form v-if="mayWrite && !held" class="new" @submit.prevent="make()">
        <ElInput v-model="name" aria-label="Name of a new branch" :placeholder="`new, from ${branch ?? 'here'}`" />
        <ElButton native-type="submit" :disabled="name.trim() === ''">Create</ElButton>
      </form>
      <RouterLink :to="{ name: 'merges', params: { project } }">Compare and merge…</RouterLink>
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    </div>
  </ElPopover>
</template>

<style scoped>
.branches {
  display: grid;
  gap: 8px;
  justify-items: start;
}
.branches p {
  margin: 0;
}
.branches .el-button + .el-button {
  margin-left: 0;
}
.new {
  display: flex;
  gap: 8px;
}
</style>
