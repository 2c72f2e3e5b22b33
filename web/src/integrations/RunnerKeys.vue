<script setup lang="ts">
// Runners whose results are signed: their public keys.
import { useQuery } from '@tanstack/vue-query'
import { NEW_RUNNER_KEY } from '@jolt-gate/core/api'
import { ElButton, ElForm, ElFormItem, ElInput, ElPopconfirm } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { useChecked } from '../forms/use-checked.js'
import { ago } from '../text/figures.js'

const props = defineProps<{ project: number; now: number }>()
const { data, refetch } = useQuery({
  queryKey: ['runner-keys', computed(() => props.project)],
  queryFn: () => api.runnerKeys(props.project),
})
const keys = computed(() => data.value?.keys ?? [])
const fault = ref('')
const {
  values: entered,
  faults,
  fault: refused,
  send,
} = useChecked(
  NEW_RUNNER_KEY,
  () => ({ name: '', publicKey: '' }),
  async (values) => {
    await api.addRunnerKey(props.project, values)
    await refetch()
  },
)
async function remove(id: number): Promise<void> {
  fault.value = ''
  await api.removeRunnerKey(props.project, id).catch((problem: unknown) => (fault.value = wordsOf(problem)))
  await refetch()
}
</script>

<template>
  <section>
    <h2>Keys of runners</h2>
    <p class="soft">
      A runner with a key signs the results that it reports. That says which runner it was; whoever edits its pipeline
      uses its key. Where only the server’s own runs may count, write <code>made by: server</code> at the stage.
    </p>
    <ul v-if="keys.length > 0">
      <li v-for="one in keys" :key="one.id">
        <span class="name">{{ one.name }}</span>
        <ElPopconfirm
          :title="`Remove ${one.name}? What it signs is refused from then on.`"
          confirm-button-text="Remove"
          width="260"
          @confirm="remove(one.id)"
        >
          <template #reference>
            <ElButton size="small" text type="danger" :aria-label="`Remove ${one.name}`">Remove</ElButton>
          </template>
        </ElPopconfirm>
        <span class="soft last">by {{ one.madeBy }}, {{ ago(one.madeAt, now) }}</span>
      </li>
    </ul>
    <p v-if="fault || refused" class="fault" role="alert">{{ fault || refused }}</p>
    <ElForm label-position="top" @submit.prevent="send()">
      <ElFormItem label="Name of the runner" :error="faults.name">
        <ElInput v-model="entered.name" placeholder="runner on the quay" />
      </ElFormItem>
      <ElFormItem label="Its public key (Ed25519)" :error="faults.publicKey">
        <ElInput
          v-model="entered.publicKey"
          type="textarea"
          :rows="3"
          placeholder="-----BEGIN PUBLIC KEY-----"
          spellcheck="false"
        />
      </ElFormItem>
      <ElButton native-type="submit">Add key</ElButton>
    </ElForm>
  </section>
</template>

<style scoped>
ul {
  margin: 0 0 8px;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  align-items: center;
}
.name {
  overflow-wrap: anywhere;
}
.last {
  grid-column: 1 / -1;
}
</style>
