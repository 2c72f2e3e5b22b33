<script setup lang="ts">
// A new plan from nothing but a name and a target: the least that is right, to be gone on with.
import { ElButton, ElDialog, ElInput } from 'element-plus'
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'

const props = defineProps<{ project: number }>()
const isOpen = defineModel<boolean>({ required: true })
const router = useRouter()
const name = ref('')
const target = ref('')
const targets = ref<string[]>([])
const fault = ref('')

async function begin(open: boolean): Promise<void> {
  if (!open) return
  targets.value = (await api.targets(props.project).catch(() => ({ targets: [] }))).targets.map((one) => one.name)
  target.value = targets.value[0] ?? 'http://127.0.0.1:7710'
}
watch(isOpen, begin, { immediate: true })
async function make(): Promise<void> {
  fault.value = ''
  const path = `plans/${name.value
    .trim()
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, '-')}.gate.yaml`
  const text = `jolt: 1
name: ${JSON.stringify(name.value.trim())}
target: ${target.value}

journeys:
  visit:
    steps:
      - send: GET /
        name: home
        check:
          - status is 200

load:
  - { phase: visit, rate: 1/s, for: 30s }

gates:
  - failed requests at most 1 %
`
  try {
    await api.addFiles(props.project, [{ path, text }], `New plan: ${name.value.trim()}`)
    await router.push({ name: 'plan', params: { project: props.project }, query: { file: path, as: 'form' } })
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
</script>

<template>
  <ElDialog v-model="isOpen" title="A new plan" width="440">
    <form class="new" @submit.prevent="make">
      <label>Name<ElInput v-model="name" autofocus placeholder="Summer timetable opens" /></label>
      <label>
        Target
        <input v-model="target" class="field" list="known-targets" />
        <datalist id="known-targets"><option v-for="one in targets" :key="one" :value="one" /></datalist>
      </label>
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      <ElButton type="primary" native-type="submit" :disabled="name.trim() === '' || target.trim() === ''"
        >Create plan</ElButton
      >
    </form>
  </ElDialog>
</template>

<style scoped>
.new {
  display: grid;
  gap: 12px;
  justify-items: start;
}
label {
  display: grid;
  gap: 4px;
  width: 100%;
}
</style>
