<script setup lang="ts">
// A new plan from nothing but a name and a target: the least that is right, to be gone on with.
import { ElButton, ElDialog, ElForm, ElFormItem, ElInput, ElOption, ElSelect } from 'element-plus'
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { object, string } from 'yup'
import { api } from '../api/client.js'
import { useChecked } from '../forms/use-checked.js'
import { takeCursor } from '../forms/take-cursor.js'

const props = defineProps<{ project: number }>()
const isOpen = defineModel<boolean>({ required: true })
const router = useRouter()
const targets = ref<string[]>([])
const isReady = ref(false)
const NEW_PLAN = object({
  name: string().trim().required('enter a name').max(200, 'a name has at most 200 characters'),
  target: string().trim().required('choose a target, or enter an origin such as http://127.0.0.1:7710'),
})
const { values, faults, fault, isBusy, send } = useChecked(NEW_PLAN, () => ({ name: '', target: '' }), make)

async function begin(open: boolean): Promise<void> {
  if (!open) return
  targets.value = (await api.targets(props.project).catch(() => ({ targets: [] }))).targets.map((one) => one.name)
  isReady.value = true
  values.value.target = targets.value[0] ?? 'http://127.0.0.1:7710'
}
watch(isOpen, begin, { immediate: true })
async function make(asked: { name: string; target: string }): Promise<void> {
  const name = asked.name.trim()
  const path = `plans/${name.toLowerCase().replaceAll(/[^a-z0-9]+/g, '-')}.gate.yaml`
  const text = `jolt: 1
name: ${JSON.stringify(name)}
target: ${asked.target.trim()}

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
  await api.addFiles(props.project, [{ path, text }], `New plan: ${name}`)
  await router.push({ name: 'plan', params: { project: props.project }, query: { file: path, as: 'form' } })
}
</script>

<template>
  <ElDialog v-model="isOpen" title="A new plan" width="440" @open-auto-focus="takeCursor()" @opened="takeCursor()">
    <ElForm label-position="top" @submit.prevent="send()">
      <ElFormItem label="Name" :error="faults.name ?? ''">
        <ElInput v-model="values.name" aria-label="Name" autofocus placeholder="Summer timetable opens" />
      </ElFormItem>
      <ElFormItem label="Target" :error="faults.target ?? ''">
        <ElSelect
          v-model="values.target"
          aria-label="Target"
          filterable
          allow-create
          default-first-option
          placeholder="a target, or an origin"
        >
          <ElOption v-for="one in targets" :key="one" :value="one" />
        </ElSelect>
      </ElFormItem>
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      <ElButton type="primary" native-type="submit" :loading="isBusy || !isReady">Create plan</ElButton>
    </ElForm>
  </ElDialog>
</template>
