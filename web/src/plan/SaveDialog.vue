<script setup lang="ts">
// Saving a plan is a commit: why it changes. Who says so is who is signed in.
import { ElButton, ElDialog, ElForm, ElFormItem, ElInput } from 'element-plus'
import type { PlanChange } from '@jolt-gate/core'
import { computed, ref } from 'vue'
import { takeCursor } from '../forms/take-cursor.js'
import { counted } from '../text/figures.js'

const props = defineProps<{
  file: string
  changes: PlanChange[]
  lines: number
  who: string
  thenRun: boolean
  fault: string
  /** Whether the branch that is shown takes no commits. */
  isProtected: boolean
  isBusy: boolean
}>()
const isOpen = defineModel<boolean>({ required: true })
const emit = defineEmits<{ save: [message: string, branch: string] }>()
const message = ref('')
const branch = ref('')
const lacksBranch = computed(() => props.isProtected && branch.value.trim() === '')
</script>

<template>
  <ElDialog
    v-model="isOpen"
    :title="thenRun ? 'Commit the change, then run' : 'Commit the change'"
    width="480"
    @open-auto-focus="takeCursor()"
    @opened="takeCursor()"
    @open="message = branch = ''"
  >
    <p class="soft">{{ file }}, {{ counted(lines, 'line') }} changed. Runs use the committed plan.</p>
    <ul class="changes">
      <li v-for="(change, index) in changes.slice(0, 8)" :key="index">{{ change.words }}</li>
      <li v-if="changes.length > 8" class="soft">and {{ changes.length - 8 }} more</li>
    </ul>
    <ElForm label-position="top" class="form" @submit.prevent="emit('save', message, branch.trim())">
      <ElFormItem label="Commit message"
        ><ElInput
          v-model="message"
          autofocus
          :placeholder="changes[0]?.words ?? 'Search is slower since the deck matters'"
      /></ElFormItem>
      <ElFormItem v-if="isProtected" label="Name of a new branch, which the commit goes to">
        <ElInput v-model="branch" placeholder="slower-search" />
      </ElFormItem>
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      <ElButton
        type="primary"
        native-type="submit"
        :loading="isBusy"
        :disabled="message.trim() === '' || lacksBranch"
        >{{ thenRun ? 'Commit and run' : 'Commit' }}</ElButton
      >
      <span class="soft who">as {{ who }}</span>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.form {
  padding-top: 12px;
}
.changes {
  margin: 8px 0 0;
  padding-left: 18px;
}
.who {
  padding-left: 12px;
}
</style>
