<script setup lang="ts">
// An approval: an administrator opens a shut stage for one change, and says why.
import { ElButton, ElDialog, ElFormItem, ElInput } from 'element-plus'
import { object, string } from 'yup'
import { takeCursor } from '../forms/take-cursor.js'
import { useChecked } from '../forms/use-checked.js'

const props = defineProps<{
  asked: { stage: string; commit: string; message: string; words: string } | undefined
  approve: (reason: string) => Promise<unknown>
}>()
const emit = defineEmits<{ close: [] }>()

const REASON = object({
  reason: string().trim().required('say why the change may go on').max(1000, 'a reason has at most 1000 characters'),
})
const { values, faults, fault, isBusy, send, empty } = useChecked(
  REASON,
  () => ({ reason: '' }),
  async ({ reason }) => {
    await props.approve(reason)
    close()
  },
)
function close(): void {
  empty()
  emit('close')
}
</script>

<template>
  <ElDialog
    :model-value="asked !== undefined"
    :title="`Approve ${asked?.stage ?? ''}`"
    width="520"
    @update:model-value="close()"
    @open-auto-focus="takeCursor()"
    @opened="takeCursor()"
  >
    <form v-if="asked" @submit.prevent="send()">
      <p>
        <b>{{ asked.message }}</b> <code>{{ asked.commit.slice(0, 7) }}</code>
      </p>
      <p class="soft">{{ asked.words }}</p>
      <ElFormItem label="Reason" label-position="top" :error="faults.reason ?? fault">
        <ElInput v-model="values.reason" autofocus type="textarea" :rows="3" maxlength="1000" aria-label="Reason" />
      </ElFormItem>
      <p class="soft small">
        Your name and this text are shown on the page, in the answer to admit and in the audit log.
      </p>
      <ElButton type="primary" native-type="submit" :loading="isBusy">Approve</ElButton>
      <ElButton @click="close()">Cancel</ElButton>
    </form>
  </ElDialog>
</template>

<style scoped>
p {
  padding-bottom: 8px;
}
.small {
  font-size: 12px;
}
</style>
