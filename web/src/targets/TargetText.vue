<script setup lang="ts">
// A target's file: what is in it, by form or as text, saved as a commit.
import { readTarget, type Edit } from '@jolt-gate/core'
import { ElButton, ElInput, ElMessageBox, ElPopconfirm } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { TargetLine } from '@jolt-gate/core/api'
import CommitRow from '../forms/CommitRow.vue'
import { useUnsaved } from '../frame/use-unsaved.js'
import FileEditor from '../plan/form/FileEditor.vue'
import { useMay } from '../stores/may.js'

const props = defineProps<{ project: number; target: TargetLine | undefined }>()
const emit = defineEmits<{ saved: [name: string] }>()
const may = useMay(() => props.project)

const name = ref(props.target?.name ?? '')
/** What was read: what is typed is over this, also when the file has changed since. */
const before = ref({ text: props.target?.text ?? 'origin: http://127.0.0.1:7710\n', base: props.target?.base ?? null })
const text = ref(before.value.text)
const message = ref('')
const fault = ref('')
const file = computed(() => `targets/${name.value || 'new'}.target.yaml`)
const problems = computed(() => readTarget(file.value, text.value).problems.filter(({ code }) => code !== 'FILE'))
const isChanged = computed(() => text.value !== before.value.text)
watch(
  () => props.target,
  (read) => {
    if (read === undefined || isChanged.value) return
    before.value = { text: read.text, base: read.base }
    text.value = read.text
  },
)
const editor = ref<{ edit: (wanted: Edit) => void }>()
/** A metric family that was found is one to be read in runs. */
function addMetric(family: string, url: string): void {
  editor.value?.edit({ kind: 'set', path: ['metrics', family.replaceAll('_', ' ')], value: { url, family } })
}
defineExpose({ addMetric })

useUnsaved({
  what: 'target',
  isChanged: () => isChanged.value,
  keeps: (to, from) => ['target', 'new'].every((key) => to.query[key] === from.query[key]) && to.name === from.name,
})

async function rename(): Promise<void> {
  fault.value = ''
  try {
    const { value: to } = await ElMessageBox.prompt(
      'The plans that name it change in the same commit; its secrets and runs go along.',
      'Rename the target',
      {
        inputValue: name.value,
        inputPattern: /^(?!\.)[\w.-]{1,100}$/,
        inputErrorMessage: 'letters, digits, dots and dashes, such as harbour',
        confirmButtonText: 'Rename',
      },
    )
    await api.renameTarget(props.project, name.value, to)
    emit('saved', to)
  } catch (error) {
    // A box that is closed rejects with the word of how.
    if (error instanceof Error) fault.value = wordsOf(error)
  }
}

async function remove(): Promise<void> {
  fault.value = ''
  await api.removeFile(props.project, file.value).then(
    () => {
      text.value = before.value.text
      emit('saved', '')
    },
    (error: unknown) => (fault.value = wordsOf(error)),
  )
}

async function save(): Promise<void> {
  fault.value = ''
  try {
    const saved = { text: text.value, message: message.value, base: before.value.base }
    const { base } = await api.saveTarget(props.project, name.value, saved)
    before.value = { text: saved.text, base }
    message.value = ''
    emit('saved', name.value)
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
</script>

<template>
  <div class="text">
    <div class="head">
      <h2 v-if="target">{{ target.name }}</h2>
      <label v-else class="name">Name <ElInput v-model="name" placeholder="harbour" /></label>
      <code class="soft">{{ file }}</code>
      <span class="more">
        <ElButton v-if="target && may.isAdministrator" link :disabled="isChanged" @click="rename()">Rename…</ElButton>
        <ElPopconfirm
          v-if="target && may.mayWrite"
          :title="`Delete ${file}? It goes in a commit of its own; its secrets stay until they are forgotten.`"
          confirm-button-text="Delete"
          width="280"
          @confirm="remove()"
        >
          <template #reference><ElButton link type="danger">Delete</ElButton></template>
        </ElPopconfirm>
      </span>
    </div>
    <FileEditor
      ref="editor"
      v-model="text"
      context="target"
      label="Text of the target"
      :file="file"
      :problems="problems"
      :project="project"
      :may-write="may.mayWrite"
    />
    <p v-for="problem in problems" :key="`${problem.line}:${problem.message}`" class="fault">
      {{ problem.line }}:{{ problem.column }} {{ problem.message }}
    </p>
    <CommitRow
      v-if="may.mayWrite && (isChanged || !target)"
      v-model="message"
      :disabled="name === '' || problems.length > 0"
      @commit="save()"
    />
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.name {
  display: flex;
  gap: 8px;
  align-items: center;
}
.more {
  display: flex;
  gap: 12px;
  margin-left: auto;
}
</style>
