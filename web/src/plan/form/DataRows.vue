<script setup lang="ts">
// The rows of a data file: the first of them at once, all of them to be edited where the file is small enough.
import { firstRows, parseCsv, parseJsonLines } from '@jolt-gate/core'
import { ElButton, ElDialog, ElInput, ElTable, ElTableColumn } from 'element-plus'
import { computed, inject, ref } from 'vue'
import { api, wordsOf } from '../../api/client.js'
import { PLAN_FORM } from './use-form.js'
import { takeCursor } from '../../forms/take-cursor.js'

const props = defineProps<{ file: string; name: string }>()
const form = inject(PLAN_FORM)
const isOpen = ref(false)
const isBusy = ref(false)
const draft = ref('')
const base = ref('')
const message = ref('')
const fault = ref('')

const tableOf = (text: string) => (props.file.endsWith('.csv') ? parseCsv(text) : parseJsonLines(text))
const shown = computed(() => form?.files.value[props.file])
const table = computed(() => tableOf(isOpen.value ? draft.value : (shown.value ?? '')))
const rows = computed(() =>
  table.value.ok
    ? firstRows(table.value.rows, MOST).map((row) => ({
        cells: row.map((cell) => (typeof cell === 'string' ? cell : JSON.stringify(cell))),
      }))
    : [],
)
const MOST = 8

async function open(): Promise<void> {
  if (form === undefined) return
  fault.value = ''
  isBusy.value = true
  try {
    const data = await api.data(form.project.value, props.file)
    draft.value = data.text
    base.value = data.base
    message.value = `Rows of ${props.file}`
    isOpen.value = true
  } catch (error) {
    fault.value = wordsOf(error)
  }
  isBusy.value = false
}
async function save(): Promise<void> {
  if (form === undefined || !table.value.ok) return
  fault.value = ''
  isBusy.value = true
  try {
    await api.saveData(form.project.value, props.file, { text: draft.value, message: message.value, base: base.value })
    isOpen.value = false
    await form.readFiles()
  } catch (error) {
    fault.value = wordsOf(error)
  }
  isBusy.value = false
}
</script>

<template>
  <p v-if="shown === undefined" class="soft">There is no file {{ file }} yet: upload it, or name another.</p>
  <template v-else>
    <p v-if="!table.ok" class="fault">{{ file }}, line {{ table.fault.line }}: {{ table.fault.message }}</p>
    <ElTable v-else :data="rows" size="small" :aria-label="`First rows of ${name}`">
      <ElTableColumn
        v-for="(column, index) in table.columns"
        :key="column"
        :label="`{${name}.${column}}`"
        :prop="`cells.${index}`"
        show-overflow-tooltip
      />
    </ElTable>
    <span>
      <span class="soft">The first rows of {{ file }}</span>
      <ElButton v-if="form?.mayWrite.value" class="edit" link :loading="isBusy" @click="open()">Edit rows…</ElButton>
    </span>
  </template>
  <p v-if="fault && !isOpen" class="fault" role="alert">{{ fault }}</p>
  <ElDialog
    v-model="isOpen"
    :title="`Rows of ${file}`"
    width="720"
    @open-auto-focus="takeCursor()"
    @opened="takeCursor()"
  >
    <form class="rows" @submit.prevent="save()">
      <ElInput v-model="draft" class="mono" type="textarea" :rows="16" :aria-label="`Text of ${file}`" autofocus />
      <p v-if="!table.ok" class="fault" role="alert">Line {{ table.fault.line }}: {{ table.fault.message }}</p>
      <p v-else class="soft">{{ table.rows.count }} rows of {{ table.columns.join(', ') }}</p>
      <ElInput v-model="message" aria-label="Commit message" />
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      <span>
        <ElButton type="primary" native-type="submit" :loading="isBusy" :disabled="!table.ok || message.trim() === ''"
          >Commit rows</ElButton
        >
        <ElButton @click="isOpen = false">Cancel</ElButton>
      </span>
    </form>
  </ElDialog>
</template>

<style scoped>
.edit {
  margin-left: 10px;
}
.rows {
  display: grid;
  gap: 10px;
}
</style>
