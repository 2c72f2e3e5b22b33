<script setup lang="ts">
// A plan from what exists: a recording, a description of a service, a command line, a URL.
import { ElButton, ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import { useMay } from '../stores/may.js'
import ImportChoices from './ImportChoices.vue'
import { useImport } from './use-import.js'

const route = useRoute()
const router = useRouter()
const project = computed(() => Number(route.params['project']))
const { state, choice, choose, read, cancel } = useImport()
const text = ref('')
const message = ref('')
const fault = ref('')
const isBusy = ref(false)
const isOver = ref(false)
const shown = ref(0)

const ready = computed(() => (state.value.kind === 'made' ? state.value : undefined))
const imported = computed(() => ready.value?.imported)
const what = computed(() => (ready.value === undefined ? '' : WHAT[ready.value.what]))
const may = useMay(() => project.value)
const mayWrite = computed(() => may.mayWrite)
const isAdministrator = computed(() => may.isAdministrator)
const plan = computed(() => imported.value?.files[shown.value])
const WHAT = {
  har: 'a recording',
  openapi: 'an OpenAPI description',
  wsdl: 'a WSDL description',
  curl: 'a command line',
  url: 'a URL',
}

function take(files: FileList | null | undefined): void {
  const file = files?.[0]
  if (file !== undefined) read(file, file.name.replace(/\.\w+$/, ''))
}
const filesOf = (event: Event) => (event.target instanceof HTMLInputElement ? event.target.files : null)
function drop(event: DragEvent): void {
  isOver.value = false
  take(event.dataTransfer?.files)
}
async function save(): Promise<void> {
  if (imported.value === undefined || ready.value === undefined) return
  fault.value = ''
  isBusy.value = true
  const { files, secrets, name } = imported.value
  try {
    await api.addFiles(project.value, files, message.value.trim() || `Plan "${name}" from ${WHAT[ready.value.what]}`)
    const target = /targets\/(.+)\.target\.yaml$/.exec(files[1]?.path ?? '')?.[1]
    if (target !== undefined && may.isAdministrator)
      for (const [secret, value] of Object.entries(secrets))
        if (value !== '') await api.storeSecret(project.value, target, secret, value)
    await router.push({
      name: 'plan',
      params: { project: project.value },
      query: { file: files[0]?.path ?? '', as: 'form' },
    })
  } catch (error) {
    fault.value = wordsOf(error)
  }
  isBusy.value = false
}
</script>

<template>
  <div class="import">
    <div class="head">
      <h1>Import a plan</h1>
      <span v-if="ready" class="soft">from {{ what }}: {{ imported?.steps }} requests</span>
      <button v-if="state.kind === 'made'" type="button" class="link" @click="cancel()">start over</button>
    </div>
    <div
      v-if="state.kind === 'empty' || state.kind === 'fault'"
      class="start"
      :class="{ over: isOver }"
      @dragover.prevent="isOver = true"
      @dragleave="isOver = false"
      @drop.prevent="drop($event)"
    >
      <div class="ways">
        <label class="file">
          <b>Choose a file, or drop it here</b>
          <span class="soft"
            >a recording of browser traffic (HAR 1.2, from the network tools of a browser), an OpenAPI 3 description, or
            a WSDL 1.1 description. It stays in your browser until you commit.</span
          >
          <input
            type="file"
            accept=".har,.json,.yaml,.yml,.wsdl,.xml"
            aria-label="File to import"
            @change="take(filesOf($event))"
          />
        </label>
        <form class="line" @submit.prevent="read(text, 'Imported')">
          <label for="import-text"><b>Or paste</b> a URL, a command line of curl, or a whole description</label>
          <ElInput
            id="import-text"
            v-model="text"
            type="textarea"
            :rows="4"
            placeholder="curl -X POST http://127.0.0.1:7710/sessions --json '{…}'"
          />
          <ElButton native-type="submit" type="primary" :disabled="text.trim() === ''">Read</ElButton>
        </form>
      </div>
      <p v-if="state.kind === 'fault'" class="fault" role="alert">{{ state.words }}</p>
    </div>
    <div v-else-if="state.kind === 'reading'" class="start" role="status">
      <p>{{ state.words }} …</p>
      <progress :value="state.share" max="1"></progress>
      <ElButton @click="cancel()">Cancel</ElButton>
    </div>
    <div v-else-if="ready && choice" class="desk">
      <ImportChoices :ready="ready" :choice="choice" @choose="choose" />
      <div class="draft">
        <p v-if="ready.fault" class="fault" role="alert">{{ ready.fault }}</p>
        <div class="files">
          <button
            v-for="(file, index) in imported?.files ?? []"
            :key="file.path"
            type="button"
            class="tab"
            :class="{ here: index === shown }"
            @click="shown = index"
          >
            {{ file.path }}
          </button>
        </div>
        <pre v-if="plan" tabindex="0" aria-label="The draft">{{ plan.text.slice(0, 60000) }}</pre>
      </div>
      <div class="end">
        <h2>What was made</h2>
        <ul>
          <li v-for="note in imported?.notes ?? []" :key="note">{{ note }}</li>
          <li v-if="Object.keys(imported?.secrets ?? {}).length > 0">
            secrets: <b>{{ Object.keys(imported?.secrets ?? {}).join(', ') }}</b>. Their values are in no file;
            {{
              isAdministrator
                ? 'they are stored sealed when you commit'
                : 'an administrator stores them on the Targets page'
            }}
          </li>
        </ul>
        <form class="save" @submit.prevent="save">
          <ElInput
            v-model="message"
            aria-label="Commit message"
            :placeholder="`Plan &quot;${choice.name}&quot; from ${what}`"
          />
          <ElButton type="primary" native-type="submit" :loading="isBusy" :disabled="!imported || !mayWrite"
            >Commit the draft</ElButton
          >
        </form>
        <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
        <p class="soft">Opens in the form after the commit.</p>
      </div>
    </div>
  </div>
</template>

<style scoped>
input[type='file'] {
  font: inherit;
}
input[type='file']::file-selector-button {
  margin-right: 10px;
  padding: 5px 12px;
  border: 1px solid var(--ink);
  border-radius: 3px;
  background: none;
  color: var(--ink);
  font: inherit;
  font-weight: 600;
  cursor: pointer;
}
.import {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.head {
  display: flex;
  flex: none;
  gap: 16px;
  align-items: baseline;
  padding: 12px 16px;
  border-bottom: 1px solid var(--rule);
}
.start {
  display: grid;
  gap: 16px;
  padding: 32px 16px;
  justify-items: start;
}
.ways {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 40px;
  width: 100%;
  max-width: 1100px;
}
.file {
  display: grid;
  gap: 8px;
  padding: 24px;
  border: 1px dashed var(--soft);
  background: var(--sheet);
}
.over .file {
  border-color: var(--lake);
  background: var(--lake-light);
}
.line {
  display: grid;
  gap: 8px;
  justify-items: start;
}
.desk {
  display: grid;
  flex: 1;
  grid-template-columns: 330px minmax(0, 1fr) 270px;
  min-height: 0;
}
.end {
  display: grid;
  gap: 12px;
  align-content: start;
  padding: 12px 16px;
  overflow: auto;
}
.draft {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border: solid var(--rule);
  border-width: 0 1px;
  background: var(--sheet);
}
.files {
  display: flex;
  flex: none;
  gap: 4px;
  padding: 6px 12px 0;
  overflow: auto;
}
.tab {
  padding: 4px 8px;
  border: 0;
  border-bottom: 2px solid transparent;
  background: none;
  color: var(--soft);
  font: 12px var(--mono);
  white-space: nowrap;
  cursor: pointer;
}
.tab.here {
  border-bottom-color: var(--lake);
  color: var(--ink);
}
pre {
  flex: 1;
  margin: 0;
  padding: 10px 14px;
  overflow: auto;
  font: 12.5px/1.5 var(--mono);
}
ul {
  margin: 0;
  padding-left: 18px;
}
.save {
  display: grid;
  gap: 8px;
}
</style>
