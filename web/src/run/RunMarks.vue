<script setup lang="ts">
// Marks of a run: what happened while it lasted. One is put at a moment; each can be removed.
import type { RunDetail } from '@jolt-gate/core/api'
import { ElButton, ElDialog, ElInput, ElInputNumber } from 'element-plus'
import { ref, watch } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { takeCursor } from '../forms/take-cursor.js'
import { clock } from '../text/figures.js'

const props = defineProps<{ run: RunDetail; second: number }>()
const isOpen = defineModel<boolean>({ required: true })
const emit = defineEmits<{ changed: [] }>()
const text = ref('')
const at = ref(0)
const fault = ref('')
watch(isOpen, (open) => {
  if (!open) return
  at.value = props.second
  text.value = ''
  fault.value = ''
})

async function changing(task: () => Promise<unknown>): Promise<boolean> {
  fault.value = ''
  try {
    await task()
    emit('changed')
    return true
  } catch (error) {
    fault.value = wordsOf(error)
    return false
  }
}
async function put(): Promise<void> {
  const words = text.value.trim()
  if (words !== '' && (await changing(() => api.addMark(props.run.id, words, 1000 * at.value)))) isOpen.value = false
}
</script>

<template>
  <ElDialog v-model="isOpen" title="Marks" width="460" append-to-body @opened="takeCursor">
    <form class="new" @submit.prevent="put()">
      <ElInput
        v-model="text"
        maxlength="200"
        aria-label="What happened"
        placeholder="What happened, such as deployed 1.4.2"
      />
      <label class="when">
        at second
        <ElInputNumber v-model="at" :min="0" :max="86400" :precision="1" :controls="false" aria-label="At second" />
        <span class="soft">{{ clock(at) }}</span>
      </label>
      <ElButton type="primary" native-type="submit" :disabled="text.trim() === ''">Put mark</ElButton>
    </form>
    <ul v-if="run.marks.length > 0" class="marks">
      <li v-for="mark in run.marks" :key="mark.id">
        <b>{{ clock(mark.atMs / 1000) }}</b> <span class="words">{{ mark.text }}</span>
        <span class="soft">{{ mark.by }}</span>
        <ElButton link :aria-label="`Remove ${mark.text}`" @click="changing(() => api.removeMark(run.id, mark.id))"
          >Remove</ElButton
        >
      </li>
    </ul>
    <p class="fault" role="alert">{{ fault }}</p>
  </ElDialog>
</template>

<style scoped>
.new {
  display: grid;
  gap: 8px;
}
.when {
  display: flex;
  gap: 8px;
  align-items: center;
}
.marks {
  margin: 14px 0 0;
  padding: 0;
  list-style: none;
}
.marks li {
  display: flex;
  gap: 10px;
  align-items: baseline;
  padding: 4px 0;
  border-top: 1px solid var(--rule);
}
.words {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
.fault {
  color: var(--brick);
}
</style>
