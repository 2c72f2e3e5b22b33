<script setup lang="ts">
// Secrets of a target: written and used, never shown.
import { ElButton, ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { TargetLine } from '@jolt-gate/core/api'
import { useMay } from '../stores/may.js'

const props = defineProps<{ project: number; target: TargetLine }>()
const emit = defineEmits<{ changed: [] }>()
const may = useMay(() => props.project)
const writing = ref<string>()
const value = ref('')
const fault = ref('')
const FROM = {
  store: 'stored, encrypted',
  blocked: "blocked: the target's address changed; an administrator must confirm it",
  environment: 'from the server’s environment',
  nowhere: 'missing',
}

async function act(work: () => Promise<unknown>): Promise<void> {
  fault.value = ''
  try {
    await work()
    writing.value = undefined
    value.value = ''
    emit('changed')
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
const write = (name: string) => act(() => api.storeSecret(props.project, props.target.name, name, value.value))
const isBlocked = computed(() => props.target.secrets.some(({ from }) => from === 'blocked'))
const confirm = () => act(() => api.confirmSecrets(props.project, props.target.name))
const forget = (name: string) => act(() => api.deleteSecret(props.project, props.target.name, name))
</script>

<template>
  <section>
    <h2>Secrets</h2>
    <p v-if="target.secrets.length === 0" class="soft">No secrets: list their names under <code>secrets</code></p>
    <div v-for="secret in target.secrets" :key="secret.name" class="secret">
      <code>{{ secret.name }}</code>
      <span :class="secret.from === 'nowhere' || secret.from === 'blocked' ? 'fault' : 'soft'">{{
        FROM[secret.from]
      }}</span>
      <span v-if="may.isAdministrator" class="acts">
        <ElButton link @click="writing = secret.name">write</ElButton>
        <ElButton v-if="secret.from === 'store' || secret.from === 'blocked'" link @click="forget(secret.name)">
          forget
        </ElButton>
      </span>
      <form v-if="writing === secret.name" class="value" @submit.prevent="write(secret.name)">
        <ElInput v-model="value" type="password" :aria-label="`Value of ${secret.name}`" autocomplete="off" autofocus />
        <ElButton native-type="submit" :disabled="value === ''">Store</ElButton>
      </form>
    </div>
    <p v-if="isBlocked" class="sealed">
      No run or rehearsal uses them until an administrator allows these addresses.
      <ElButton v-if="may.isAdministrator" size="small" @click="confirm">Allow these addresses</ElButton>
    </p>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
  </section>
</template>

<style scoped>
h2 {
  padding: 16px 0 6px;
}
.secret {
  display: grid;
  grid-template-columns: 110px 1fr auto;
  gap: 10px;
  padding: 5px 0;
  border-top: 1px solid var(--rule);
}
.acts {
  display: flex;
  gap: 12px;
}
.sealed {
  padding: 8px 0;
}
.value {
  display: flex;
  grid-column: 1 / -1;
  gap: 8px;
}
</style>
