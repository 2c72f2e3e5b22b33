<script setup lang="ts">
// Secrets of a target: written and used, never shown.
import { ElButton, ElInput } from 'element-plus'
import { ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { TargetLine } from '@jolt-gate/core/api'
import { useSession } from '../stores/session.js'

const props = defineProps<{ project: number; target: TargetLine }>()
const emit = defineEmits<{ changed: [] }>()
const store = useSession()
const writing = ref<string>()
const value = ref('')
const fault = ref('')
const FROM = { store: 'sealed in the store', environment: 'from the server’s environment', nowhere: 'missing' }

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
const forget = (name: string) => act(() => api.deleteSecret(props.project, props.target.name, name))
</script>

<template>
  <section>
    <h2>Secrets</h2>
    <p v-if="target.secrets.length === 0" class="soft">No secrets: list their names under <code>secrets</code></p>
    <div v-for="secret in target.secrets" :key="secret.name" class="secret">
      <code>{{ secret.name }}</code>
      <span :class="secret.from === 'nowhere' ? 'fault' : 'soft'">{{ FROM[secret.from] }}</span>
      <span v-if="store.isAdministrator" class="acts">
        <button class="link" type="button" @click="writing = secret.name">write</button>
        <button v-if="secret.from === 'store'" class="link" type="button" @click="forget(secret.name)">forget</button>
      </span>
      <form v-if="writing === secret.name" class="value" @submit.prevent="write(secret.name)">
        <ElInput v-model="value" type="password" :aria-label="`Value of ${secret.name}`" autocomplete="off" autofocus />
        <ElButton native-type="submit" :disabled="value === ''">Store</ElButton>
      </form>
    </div>
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
.value {
  display: flex;
  grid-column: 1 / -1;
  gap: 8px;
}
</style>
