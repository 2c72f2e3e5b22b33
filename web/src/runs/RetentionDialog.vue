<script setup lang="ts">
// How long the runs of a project are kept: chosen, or written as a sentence, and what it would delete now.
import { readRetention, retentionWritten } from '@jolt-gate/core'
import { ElButton, ElDialog, ElInput } from 'element-plus'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { api, wordsOf } from '../api/client.js'
import RetentionRows from './RetentionRows.vue'
import { takeCursor } from '../forms/take-cursor.js'

const props = defineProps<{ project: number }>()
const isOpen = defineModel<boolean>({ required: true })
const EXAMPLES = ['keep 90 days, open runs of main for ever', 'keep 30 days, runs with label release for 365 days']
const rule = ref('')
const asked = refDebounced(rule, 300)
const due = ref<{ due: number; today: number }>()
const fault = ref('')
const read = computed(() => readRetention(rule.value))
const wrong = computed(() => (read.value.ok ? '' : read.value.fault))
watch(isOpen, async (open) => {
  if (!open) return
  fault.value = ''
  const told = await api.retention(props.project).catch((error: unknown) => (fault.value = wordsOf(error)))
  if (typeof told === 'object') rule.value = told.rule
})
watch([asked, isOpen], async () => {
  due.value = undefined
  if (!isOpen.value || wrong.value !== '') return
  const told = await api.retention(props.project, asked.value).catch(() => undefined)
  if (told?.rule === rule.value) due.value = told
})
async function save(deletesDue: boolean): Promise<void> {
  if (wrong.value !== '') return
  try {
    await api.setRetention(props.project, rule.value, deletesDue)
    isOpen.value = false
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
const dueWords = computed(() => {
  if (rule.value.trim() === '') return 'Every run is kept.'
  if (due.value === undefined) return ''
  const { due: all, today } = due.value
  if (all === 0) return 'Nothing is to be deleted now.'
  if (all === today) return `${countOfRuns(all)} will be deleted within the hour.`
  return `${countOfRuns(all)} are due: ${String(today)} will be deleted within the hour, then at most a tenth of a plan's runs a day.`
})
const canDeleteAll = computed(() => due.value !== undefined && due.value.due > due.value.today)
const countOfRuns = (count: number) => `${String(count)} ${count === 1 ? 'run' : 'runs'}`
</script>

<template>
  <ElDialog
    v-model="isOpen"
    title="How long runs are kept"
    width="850"
    append-to-body
    @open-auto-focus="takeCursor()"
    @opened="takeCursor()"
  >
    <form @submit.prevent="save(false)">
      <RetentionRows
        v-if="isOpen && read.ok"
        :project="project"
        :rules="read.rules"
        @change="rule = retentionWritten($event)"
      />
      <ElInput v-model="rule" autofocus maxlength="500" aria-label="Rule" :placeholder="EXAMPLES[0]" />
      <p class="told" :class="{ wrong: wrong !== '' || fault !== '' }" role="status">
        {{ fault || wrong || dueWords }}
      </p>
      <p class="soft">
        The same as a sentence, such as <code>{{ EXAMPLES[0] }}</code> or <code>{{ EXAMPLES[1] }}</code>. Runs pinned as
        a baseline stay.
      </p>
      <div class="buttons">
        <ElButton @click="isOpen = false">Cancel</ElButton>
        <ElButton v-if="canDeleteAll" type="danger" plain :disabled="wrong !== ''" @click="save(true)">
          Save and delete all {{ countOfRuns(due?.due ?? 0) }} now
        </ElButton>
        <ElButton type="primary" native-type="submit" :disabled="wrong !== ''">Save</ElButton>
      </div>
    </form>
  </ElDialog>
</template>

<style scoped>
.told {
  min-height: 1.6em;
  padding-top: 6px;
}
.wrong {
  color: var(--brick);
}
.buttons {
  display: flex;
  justify-content: flex-end;
  padding-top: 10px;
}
</style>
