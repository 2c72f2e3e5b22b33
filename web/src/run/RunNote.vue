<script setup lang="ts">
// What people say of a run: a note in Markdown, and labels by which runs are searched.
import { LABEL_WORDS, labelsWritten, MOST_LABELS, readLabel } from '@jolt-gate/core'
import type { RunDetail } from '@jolt-gate/core/api'
import MarkdownIt from 'markdown-it'
import { ElButton, ElDialog, ElInput, ElOption, ElSelect, ElTag } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { takeCursor } from '../forms/take-cursor.js'

const props = defineProps<{ run: RunDetail }>()
const isOpen = defineModel<boolean>({ required: true })
const emit = defineEmits<{ changed: [] }>()

/** No HTML of its own, no scripts as addresses: the one who writes a note writes text. */
const markdown = new MarkdownIt({ html: false, breaks: true, linkify: false }).disable('image')
const html = computed(() => markdown.render(props.run.note ?? ''))
const labels = computed(() => labelsWritten(props.run.labels))

const note = ref('')
const pairs = ref<string[]>([])
const known = ref<string[]>([])
const fault = ref('')
const isBusy = ref(false)
watch(isOpen, (open) => {
  if (!open) return
  note.value = props.run.note ?? ''
  pairs.value = [...labels.value]
  fault.value = ''
  // Without them labels are written.
  void api.runChoices(props.run.projectId).then(
    (choices) => (known.value = choices.labels),
    () => undefined,
  )
})
const written = computed(() => pairs.value.map((pair) => pair.trim()))
const wrong = computed(() => {
  const none = written.value.find((pair) => readLabel(pair) === undefined)
  if (none !== undefined) return `"${none}": ${LABEL_WORDS}`
  return written.value.length > MOST_LABELS ? `a run has at most ${String(MOST_LABELS)} labels` : ''
})
async function save(): Promise<void> {
  if (wrong.value !== '') return
  isBusy.value = true
  fault.value = ''
  try {
    await api.describeRun(props.run.id, note.value.trim() === '' ? null : note.value, written.value)
    isOpen.value = false
    emit('changed')
  } catch (error) {
    fault.value = wordsOf(error)
  }
  isBusy.value = false
}
</script>

<template>
  <div v-if="run.note || labels.length > 0" class="said">
    <span v-if="labels.length > 0" class="labels">
      <ElTag v-for="label in labels" :key="label" size="small" effect="plain">{{ label }}</ElTag>
    </span>
    <!-- eslint-disable-next-line vue/no-v-html -- rendered from Markdown without HTML -->
    <div v-if="run.note" class="note" v-html="html"></div>
  </div>
  <ElDialog v-model="isOpen" title="Note and labels" width="560" @open-auto-focus="takeCursor()" @opened="takeCursor()">
    <form class="edit" @submit.prevent="save()">
      <ElInput
        v-model="note"
        autofocus
        type="textarea"
        :rows="6"
        maxlength="10000"
        aria-label="Note, in Markdown"
        placeholder="A note on this run, in Markdown"
      />
      <ElSelect
        v-model="pairs"
        multiple
        filterable
        allow-create
        default-first-option
        :reserve-keyword="false"
        aria-label="Labels"
        placeholder="Labels, such as build=209"
        no-data-text="No labels yet: write name=value"
      >
        <ElOption v-for="label in known" :key="label" :value="label" />
      </ElSelect>
      <p v-if="wrong || fault" class="fault" role="alert">{{ wrong || fault }}</p>
      <span>
        <ElButton type="primary" native-type="submit" :loading="isBusy" :disabled="wrong !== ''">Save</ElButton>
        <ElButton @click="isOpen = false">Cancel</ElButton>
      </span>
    </form>
  </ElDialog>
</template>

<style scoped>
.said {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding: 2px 0 8px;
}
.labels {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.note {
  min-width: 0;
  overflow-wrap: anywhere;
}
.note :deep(p) {
  margin: 0;
}
.edit {
  display: grid;
  gap: 10px;
}
.fault {
  color: var(--brick);
}
</style>
