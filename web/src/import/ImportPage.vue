<script setup lang="ts">
// A plan from what exists: a recording, a description of a service, a command line, a URL.
import { ElButton, ElInput, ElProgress, ElTabPane, ElTabs, ElUpload, type UploadFile } from 'element-plus'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import { useMay } from '../stores/may.js'
import ImportChoices from './ImportChoices.vue'
import { aimedAt } from './same-target.js'
import { useImport } from './use-import.js'
import { counted } from '../text/figures.js'

const route = useRoute()
const router = useRouter()
const project = computed(() => Number(route.params['project']))
const { state, choice, choose, read, cancel } = useImport()
const text = ref('')
const message = ref('')
const fault = ref('')
const isBusy = ref(false)
const shown = ref(0)

const ready = computed(() => (state.value.kind === 'made' ? state.value : undefined))
const { data: known } = useQuery({ queryKey: ['targets', project], queryFn: () => api.targets(project.value) })
const aimed = computed(() => aimedAt(ready.value?.imported?.files ?? [], known.value?.targets ?? []))
const imported = computed(() => {
  const made = ready.value?.imported
  return made === undefined ? undefined : { ...made, files: aimed.value.files }
})
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

function take({ raw }: UploadFile): void {
  if (raw !== undefined) read(raw, raw.name.replace(/\.\w+$/, ''))
}
async function save(): Promise<void> {
  if (imported.value === undefined || ready.value === undefined) return
  fault.value = ''
  isBusy.value = true
  const { files, secrets, name } = imported.value
  try {
    await api.addFiles(project.value, files, message.value.trim() || `Plan "${name}" from ${WHAT[ready.value.what]}`)
    const target = aimed.value.target ?? /targets\/(.+)\.target\.yaml$/.exec(files[1]?.path ?? '')?.[1]
    if (target !== undefined && may.isAdministrator)
      for (const [secret, value] of Object.entries(secrets))
        if (value !== '' && !aimed.value.valued.includes(secret))
          await api.storeSecret(project.value, target, secret, value)
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
      <span v-if="ready" class="soft">from {{ what }}: {{ counted(imported?.steps ?? 0, 'request') }}</span>
      <ElButton v-if="state.kind === 'made'" size="small" text @click="cancel()">Start over</ElButton>
    </div>
    <div v-if="state.kind === 'empty' || state.kind === 'fault'" class="start">
      <div class="ways">
        <ElUpload
          class="file"
          drag
          :auto-upload="false"
          :show-file-list="false"
          accept=".har,.json,.yaml,.yml,.wsdl,.xml"
          aria-label="File to import"
          :on-change="take"
        >
          <b>Choose a file, or drop it here</b>
          <p class="soft">
            A recording of browser traffic (HAR 1.2, from the network tools of a browser), an OpenAPI 3 description, or
            a WSDL 1.1 description. It stays in your browser until you commit.
          </p>
        </ElUpload>
        <form class="line" @submit.prevent="read(text, 'Imported')">
          <label for="import-text"><b>Or paste</b> a URL, a curl command or an API description</label>
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
      <ElProgress class="progress" :percentage="Math.round(100 * state.share)" />
      <ElButton @click="cancel()">Cancel</ElButton>
    </div>
    <div v-else-if="ready && choice" class="desk">
      <ImportChoices :ready="ready" :choice="choice" @choose="choose" />
      <div class="draft">
        <p v-if="ready.fault" class="fault" role="alert">{{ ready.fault }}</p>
        <ElTabs v-model="shown" class="files">
          <ElTabPane v-for="(file, index) in imported?.files ?? []" :key="file.path" :label="file.path" :name="index" />
        </ElTabs>
        <pre v-if="plan" tabindex="0" aria-label="The draft">{{ plan.text.slice(0, 60000) }}</pre>
      </div>
      <div class="end">
        <h2>What was made</h2>
        <ul>
          <li v-if="aimed.target">
            target: <b>{{ aimed.target }}</b>, which has this origin
          </li>
          <li v-else-if="aimed.lacks.length > 0">
            a target of its own: the one of this origin lacks the secrets {{ aimed.lacks.join(', ') }}
          </li>
          <li v-for="note in imported?.notes ?? []" :key="note">{{ note }}</li>
          <li v-if="Object.keys(imported?.secrets ?? {}).length > 0">
            secrets: <b>{{ Object.keys(imported?.secrets ?? {}).join(', ') }}</b>. Their values are in no file;
            {{
              aimed.valued.length > 0
                ? 'those that the target has already stay as they are'
                : isAdministrator
                  ? 'they are stored encrypted when you commit'
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
.file :deep(.el-upload-dragger) {
  padding: 24px;
  border-radius: 0;
  background: var(--sheet);
  text-align: left;
}
.file p {
  padding-top: 8px;
}
.progress {
  width: 320px;
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
  flex: none;
  padding: 0 12px;
}
.files :deep(.el-tabs__header) {
  margin: 0;
}
.files :deep(.el-tabs__item) {
  height: 34px;
  font: 12px var(--mono);
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
