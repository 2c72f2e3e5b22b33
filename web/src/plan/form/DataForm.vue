<script setup lang="ts">
// Rows of files: which file, how rows are taken, and the rows themselves; a file can be brought from this machine.
import { CONTEXTS, nodeAt, textAt, type Path } from '@jolt-gate/core'
import { ElButton, ElInput, ElOption, ElSelect, ElUpload } from 'element-plus'
import { computed, inject, ref } from 'vue'
import { wordsOf } from '../../api/client.js'
import DataRows from './DataRows.vue'
import FormText from './FormText.vue'
import { aboutOf, labelOf } from './labels.js'
import { PLAN_FORM } from './use-form.js'

const path: Path = ['data']
const form = inject(PLAN_FORM)
const keys = CONTEXTS.data.keys
const sets = computed(() => {
  const node = nodeAt(form?.tree.value ?? undefined, path)
  return node?.kind === 'map' ? node.entries : []
})
const newName = ref('')
const fault = ref('')
const MOST_BYTES = 8_000_000

const set = (name: string, key: string, value: string) =>
  form?.edit(
    value === '' ? { kind: 'remove', path: [...path, name, key] } : { kind: 'set', path: [...path, name, key], value },
  )
function add(file = 'data/rows.csv'): void {
  const name = newName.value.trim() === '' ? nameOf(file) : newName.value.trim()
  form?.edit({ kind: 'set', path: [...path, name], value: { file } })
  newName.value = ''
}
const nameOf = (file: string) => (file.split('/').at(-1) ?? 'rows').replace(/\.\w+$/, '').replaceAll(/\W+/g, '_')

/** Brings a file along: it is committed beside the plan at once, for a plan cannot name what is not there. */
async function upload({ raw }: { raw?: File | undefined }): Promise<void> {
  fault.value = ''
  if (raw === undefined) return
  if (raw.size > MOST_BYTES) {
    fault.value = `${raw.name} is larger than 8 MB`
    return
  }
  try {
    const file = `data/${raw.name.replaceAll(/[^\w.-]+/g, '-')}`
    await form?.addFile(file, await raw.text())
    add(file)
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
</script>

<template>
  <div class="data">
    <section v-for="{ key: name } in sets" :key="name">
      <div class="fields">
        <FormText
          :text="name"
          label="Name"
          :line="0"
          is-key
          @set="form?.edit({ kind: 'rename key', path: [...path, name], to: $event })"
        />
        <FormText
          :text="textAt(form?.tree.value ?? undefined, [...path, name, 'file']) ?? ''"
          :label="`File of ${name}`"
          :line="nodeAt(form?.tree.value ?? undefined, [...path, name, 'file'])?.line ?? 0"
          :shape="keys['file']!.shape"
          @set="set(name, 'file', $event)"
        />
        <ElSelect
          v-for="key in ['take', 'then'] as const"
          :key="key"
          :model-value="textAt(form?.tree.value ?? undefined, [...path, name, key]) ?? ''"
          :aria-label="`${labelOf(key)}: ${name}`"
          :placeholder="labelOf(key)"
          :title="aboutOf('data', key)"
          clearable
          @change="set(name, key, String($event ?? ''))"
        >
          <ElOption
            v-for="word in keys[key]!.shape.kind === 'words' ? keys[key]!.shape.words : []"
            :key="word"
            :value="word"
            :label="key === 'take' ? `rows ${word}` : `then ${word}`"
          />
        </ElSelect>
        <ElButton link type="danger" @click="form?.edit({ kind: 'remove', path: [...path, name] })">Remove</ElButton>
      </div>
      <DataRows :file="textAt(form?.tree.value ?? undefined, [...path, name, 'file']) ?? ''" :name="name" />
    </section>
    <p v-if="sets.length === 0" class="soft">
      No rows yet. Each iteration takes one row of a file; {name.column} stands for its value.
    </p>
    <form class="new" @submit.prevent="add()">
      <ElInput v-model="newName" aria-label="Name of the new rows" placeholder="name, such as passenger" />
      <ElButton native-type="submit" :disabled="newName.trim() === ''">Add</ElButton>
      <ElUpload :auto-upload="false" :show-file-list="false" accept=".csv,.jsonl" :on-change="upload">
        <ElButton>Upload CSV or JSON Lines…</ElButton>
      </ElUpload>
    </form>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
  </div>
</template>

<style scoped>
.data {
  display: grid;
  gap: 16px;
}
section {
  display: grid;
  gap: 8px;
}
.fields {
  display: grid;
  grid-template-columns: 120px minmax(0, 1fr) 130px 120px auto;
  gap: 8px;
  align-items: center;
}
.new {
  display: flex;
  gap: 8px;
}
.new .el-input {
  width: 220px;
}
</style>
