<script setup lang="ts">
// The keys by which you sign commits: a merge that you sign is one that you approve.
import { useQuery } from '@tanstack/vue-query'
import { NEW_SIGNING_KEY } from '@jolt-gate/core/api'
import { ElButton, ElForm, ElFormItem, ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { useChecked } from '../forms/use-checked.js'

const { data, refetch } = useQuery({ queryKey: ['signing-keys'], queryFn: () => api.signingKeys() })
const keys = computed(() => data.value?.keys ?? [])
const fault = ref('')
const form = useChecked(
  NEW_SIGNING_KEY,
  () => ({ label: '', publicKey: '' }),
  async (values) => {
    await api.addSigningKey(values)
    await refetch()
  },
)
async function remove(id: number): Promise<void> {
  fault.value = ''
  await api.removeSigningKey(id).catch((problem: unknown) => (fault.value = wordsOf(problem)))
  await refetch()
}
</script>

<template>
  <section>
    <h2>Signing keys</h2>
    <p class="soft">A merge that you push and sign by such a key counts as approved by you.</p>
    <ul v-if="keys.length > 0">
      <li v-for="one in keys" :key="one.id">
        <span :title="one.publicKey">{{ one.label }}, since {{ one.madeAt.slice(0, 10) }}</span>
        <ElButton size="small" text :aria-label="`Remove the key ${one.label}`" @click="remove(one.id)"
          >Remove</ElButton
        >
      </li>
    </ul>
    <p v-if="fault || form.fault.value" class="fault" role="alert">{{ fault || form.fault.value }}</p>
    <ElForm label-position="top" @submit.prevent="form.send()">
      <ElFormItem label="Name of the key" :error="form.faults.value.label">
        <ElInput v-model="form.values.value.label" placeholder="laptop" />
      </ElFormItem>
      <ElFormItem label="Its public half" :error="form.faults.value.publicKey">
        <ElInput
          v-model="form.values.value.publicKey"
          type="textarea"
          :rows="2"
          placeholder="ssh-ed25519 AAAA…"
          spellcheck="false"
        />
      </ElFormItem>
      <ElButton native-type="submit" :loading="form.isBusy.value">Add key</ElButton>
    </ElForm>
  </section>
</template>

<style scoped>
section {
  padding-top: 26px;
}
p {
  padding: 4px 0 10px;
}
ul {
  margin: 0 0 8px;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
</style>
