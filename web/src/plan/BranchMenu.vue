<script setup lang="ts">
// The branch that the files on disk are at; another can be chosen, or made.
import { ElButton, ElInput, ElPopover } from 'element-plus'
import { ref } from 'vue'
import { api, wordsOf } from '../api/client.js'

const props = defineProps<{ project: number; branch: string | null; mayWrite: boolean }>()
const emit = defineEmits<{ switched: [] }>()
const branches = ref<string[]>([])
const name = ref('')
const fault = ref('')
const isOpen = ref(false)

async function open(): Promise<void> {
  isOpen.value = !isOpen.value
  if (isOpen.value) branches.value = (await api.branches(props.project)).branches
}
async function act(work: () => Promise<unknown>): Promise<void> {
  fault.value = ''
  try {
    await work()
    isOpen.value = false
    name.value = ''
    emit('switched')
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
</script>

<template>
  <ElPopover :visible="isOpen" placement="bottom-start" :width="260">
    <template #reference>
      <ElButton link :aria-expanded="isOpen" @click="open()">
        branch&nbsp;<b>{{ branch ?? 'none' }}</b>
      </ElButton>
    </template>
    <div class="branches" @keydown.esc.stop="isOpen = false">
      <ElButton
        v-for="one in branches"
        :key="one"
        link
        :disabled="one === branch || !mayWrite"
        @click="act(() => api.switchBranch(project, one))"
      >
        {{ one }}<span v-if="one === branch" class="soft"> is here</span>
      </ElButton>
      <form v-if="mayWrite" class="new" @submit.prevent="act(() => api.newBranch(project, name))">
        <ElInput v-model="name" aria-label="Name of a new branch" placeholder="new branch" />
        <ElButton native-type="submit" :disabled="name.trim() === ''">Make</ElButton>
      </form>
      <p v-if="fault" class="fault">{{ fault }}</p>
    </div>
  </ElPopover>
</template>

<style scoped>
.branches {
  display: grid;
  gap: 8px;
}
.new {
  display: flex;
  gap: 8px;
}
</style>
