<script setup lang="ts">
// Repositories elsewhere whose pushes begin stages here.
import { NEW_PUSH_SOURCE, type PushSourceLine } from '@jolt-gate/core/api'
import { ElButton, ElForm, ElFormItem, ElInput, ElPopconfirm } from 'element-plus'
import { ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import CommandBox from '../forms/CommandBox.vue'
import { useChecked } from '../forms/use-checked.js'
import { ago } from '../text/figures.js'
import SecretShown from './SecretShown.vue'

const props = defineProps<{ project: number; sources: PushSourceLine[]; now: number }>()
const emit = defineEmits<{ changed: [] }>()
const secret = ref('')
const fault = ref('')
const {
  values: entered,
  faults,
  fault: refused,
  send,
} = useChecked(
  NEW_PUSH_SOURCE,
  () => ({ repository: '' }),
  async ({ repository }) => {
    secret.value = (await api.addPushSource(props.project, repository)).secret
    emit('changed')
  },
)
async function remove(id: number): Promise<void> {
  fault.value = ''
  await api.removePushSource(props.project, id).catch((problem: unknown) => (fault.value = wordsOf(problem)))
  emit('changed')
}
const address = `POST ${location.origin}/api/projects/${String(props.project)}/pushes`
</script>

<template>
  <section>
    <h2>Pushes from other repositories</h2>
    <p class="soft">
      A Git server or a pipeline posts here on each push, signed as Standard Webhooks says. Stages that begin with a
      push run this project’s plans for that change.
    </p>
    <CommandBox :text="address" />
    <ul v-if="sources.length > 0">
      <li v-for="one in sources" :key="one.id">
        <span class="name">{{ one.repository }}</span>
        <ElPopconfirm
          :title="`Remove ${one.repository}? Its pushes start no more stages.`"
          confirm-button-text="Remove"
          width="260"
          @confirm="remove(one.id)"
        >
          <template #reference>
            <ElButton size="small" text type="danger" :aria-label="`Remove ${one.repository}`">Remove</ElButton>
          </template>
        </ElPopconfirm>
        <span class="soft last">
          {{
            one.last === null
              ? 'no push yet'
              : `${one.last.branch} at ${one.last.commit.slice(0, 7)}, ${ago(one.last.at, now)}`
          }}
        </span>
      </li>
    </ul>
    <SecretShown v-if="secret" :secret="secret" @done="secret = ''" />
    <p v-if="fault || refused" class="fault" role="alert">{{ fault || refused }}</p>
    <ElForm label-position="top" @submit.prevent="send()">
      <ElFormItem label="Repository URL, as the sender names it" :error="faults.repository">
        <ElInput v-model="entered.repository" placeholder="https://git.larkholm.example/booking">
          <template #append><ElButton native-type="submit">Add</ElButton></template>
        </ElInput>
      </ElFormItem>
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
