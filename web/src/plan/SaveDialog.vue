<script setup lang="ts">
// Saving a plan is a commit: why it changes, and who says so.
import { useLocalStorage } from '@vueuse/core'
import { ElButton, ElDialog, ElForm, ElFormItem, ElInput } from 'element-plus'
import { ref } from 'vue'

defineProps<{ file: string; lines: number; thenRun: boolean; fault: string; isBusy: boolean }>()
const isOpen = defineModel<boolean>({ required: true })
const emit = defineEmits<{ save: [message: string, author: { name: string; email: string }] }>()

const message = ref('')
const author = useLocalStorage('jolt-gate-author', { name: '', email: '' })
</script>

<template>
  <ElDialog
    v-model="isOpen"
    :title="thenRun ? 'Commit the change, then run' : 'Commit the change'"
    width="460"
    @open="message = ''"
  >
    <p class="soft">
      {{ file }}, {{ lines }} {{ lines === 1 ? 'line' : 'lines' }} changed. A run is made from what is committed.
    </p>
    <ElForm label-position="top" class="form" @submit.prevent="emit('save', message, author)">
      <ElFormItem label="Why does it change?"
        ><ElInput v-model="message" autofocus placeholder="Search is slower since the deck matters"
      /></ElFormItem>
      <div class="who">
        <ElFormItem label="Your name"><ElInput v-model="author.name" autocomplete="name" /></ElFormItem>
        <ElFormItem label="Your e-mail"><ElInput v-model="author.email" autocomplete="email" /></ElFormItem>
      </div>
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      <ElButton
        type="primary"
        native-type="submit"
        :loading="isBusy"
        :disabled="message.trim() === '' || author.name.trim() === '' || author.email.trim() === ''"
      >
        {{ thenRun ? 'Commit and run' : 'Commit' }}
      </ElButton>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.form {
  padding-top: 12px;
}
.who {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
.fault {
  padding-bottom: 10px;
  color: var(--brick);
}
</style>
