<script setup lang="ts">
// The addresses that hear of events of the project.
import { HEARD_TYPES, NEW_WEBHOOK, type EventType, type WebhookLine } from '@jolt-gate/core/api'
import {
  ElButton,
  ElCheckbox,
  ElCheckboxGroup,
  ElDialog,
  ElForm,
  ElFormItem,
  ElInput,
  ElPopconfirm,
  ElTable,
  ElTableColumn,
} from 'element-plus'
import { ref } from 'vue'
import type { InferType } from 'yup'
import { api, wordsOf } from '../api/client.js'
import { takeCursor } from '../forms/take-cursor.js'
import { useChecked } from '../forms/use-checked.js'
import SecretShown from './SecretShown.vue'

const props = defineProps<{ project: number; webhooks: WebhookLine[] }>()
const emit = defineEmits<{ changed: [] }>()

const WORDS: Record<EventType, string> = {
  'run.started': 'a run began',
  'run.verdict': 'a run ended',
  'stage.opened': 'a stage is open for a change',
  'stage.shut': 'a stage is shut for a change',
  'trend.shift': 'a figure has shifted',
  'webhook.test': 'a test',
}
const wordsFor = (type: EventType): string => WORDS[type]
const isOpen = ref(false)
const secret = ref('')
const fault = ref('')
const fresh = (): InferType<typeof NEW_WEBHOOK> => ({ url: '', events: ['run.verdict', 'stage.shut'] })
const {
  values: entered,
  faults,
  fault: refused,
  isBusy,
  send,
} = useChecked(NEW_WEBHOOK, fresh, async (values) => {
  secret.value = (await api.addWebhook(props.project, values)).secret
  isOpen.value = false
  emit('changed')
})
async function doing(task: Promise<unknown>): Promise<void> {
  fault.value = ''
  await task.catch((problem: unknown) => (fault.value = wordsOf(problem)))
  emit('changed')
}
</script>

<template>
  <section>
    <div class="head">
      <h2>Webhooks</h2>
      <ElButton size="small" @click="isOpen = true">Add a webhook…</ElButton>
    </div>
    <p class="soft">
      Each event is one POST: a CloudEvent 1.0 in JSON, signed as Standard Webhooks says, tried again for three days.
    </p>
    <SecretShown v-if="secret" :secret="secret" @done="secret = ''" />
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <ElTable :data="webhooks" size="small" row-key="id" empty-text="No webhooks yet" aria-label="Webhooks">
      <ElTableColumn prop="url" label="address" min-width="220" show-overflow-tooltip />
      <ElTableColumn label="events" min-width="190">
        <template #default="{ row }">{{ row.events.join(', ') }}</template>
      </ElTableColumn>
      <ElTableColumn label="state" width="70">
        <template #default="{ row }">
          <span :class="{ paused: row.isPaused }">{{ row.isPaused ? 'paused' : 'active' }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn width="210" align="right">
        <template #default="{ row }">
          <ElButton size="small" text :aria-label="`Test ${row.url}`" @click="doing(api.testWebhook(project, row.id))">
            Test
          </ElButton>
          <ElButton
            size="small"
            text
            :aria-label="`${row.isPaused ? 'Continue' : 'Pause'} ${row.url}`"
            @click="doing(api.pauseWebhook(project, row.id, !row.isPaused))"
          >
            {{ row.isPaused ? 'Continue' : 'Pause' }}
          </ElButton>
          <ElPopconfirm
            title="Remove it with its deliveries? What waits is not sent."
            confirm-button-text="Remove"
            width="260"
            @confirm="doing(api.removeWebhook(project, row.id))"
          >
            <template #reference>
              <ElButton size="small" text type="danger" :aria-label="`Remove ${row.url}`">Remove</ElButton>
            </template>
          </ElPopconfirm>
        </template>
      </ElTableColumn>
    </ElTable>
    <ElDialog
      v-model="isOpen"
      title="Add a webhook"
      width="520"
      append-to-body
      @open-auto-focus="takeCursor()"
      @opened="takeCursor()"
    >
      <ElForm label-position="top" @submit.prevent="send()">
        <ElFormItem label="Address" :error="faults.url">
          <ElInput v-model="entered.url" autofocus placeholder="https://chat.larkholm.example/hooks/load-tests" />
        </ElFormItem>
        <ElFormItem label="Events" :error="faults.events">
          <ElCheckboxGroup v-model="entered.events" class="events">
            <ElCheckbox v-for="one in HEARD_TYPES" :key="one" :value="one">
              <code>{{ one }}</code> {{ wordsFor(one) }}
            </ElCheckbox>
          </ElCheckboxGroup>
        </ElFormItem>
        <p v-if="refused" class="fault" role="alert">{{ refused }}</p>
        <div class="buttons">
          <ElButton @click="isOpen = false">Cancel</ElButton>
          <ElButton type="primary" native-type="submit" :loading="isBusy">Add webhook</ElButton>
        </div>
      </ElForm>
    </ElDialog>
  </section>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
.paused {
  color: var(--ochre-text);
}
.events {
  display: grid;
}
.buttons {
  display: flex;
  justify-content: flex-end;
}
</style>
