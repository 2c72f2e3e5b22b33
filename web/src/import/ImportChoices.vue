<script setup lang="ts">
// What of a recording or a description is taken, and how.
import { ElButton, ElCheckbox, ElCheckboxGroup, ElForm, ElFormItem, ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import EntryList from './EntryList.vue'
import type { ImportChoice } from './import.worker.js'
import type { ReadyImport } from './use-import.js'

const props = defineProps<{ ready: ReadyImport; choice: ImportChoice }>()
// Their own, so that a new draft does not remove what is being typed.
const name = ref(props.choice.name)
const origin = ref(props.choice.origin)
const emit = defineEmits<{ choose: [part: Partial<ImportChoice>] }>()

const WAITS: [ImportChoice['waits'], string][] = [
  ['around', 'around the recorded times'],
  ['kept', 'as recorded'],
  ['rounded', 'in whole seconds'],
  ['none', 'none'],
]
const all = computed(() =>
  props.ready.what === 'openapi' || props.ready.what === 'wsdl' ? props.ready.operations.map(({ id }) => id) : [],
)
const choose = (part: Partial<ImportChoice>) => emit('choose', part)
/** Operations are called in the order in which they are chosen. */
const inOrder = (before: readonly string[], chosen: readonly string[]) => [
  ...before.filter((one) => chosen.includes(one)),
  ...chosen.filter((one) => !before.includes(one)),
]
function turn(number: number): void {
  const { turned } = props.choice
  choose({ turned: turned.includes(number) ? turned.filter((one) => one !== number) : [...turned, number] })
}
</script>

<template>
  <ElForm class="choices" label-position="top" size="small" @submit.prevent>
    <ElFormItem label="Name of the plan">
      <ElInput v-model="name" aria-label="Name of the plan" @change="choose({ name })" />
    </ElFormItem>
    <template v-if="ready.what === 'har'">
      <ElFormItem label="Hosts">
        <ElCheckboxGroup
          class="list"
          aria-label="Hosts"
          :model-value="choice.origins"
          @update:model-value="(origins) => choose({ origins: origins.map(String) })"
        >
          <ElCheckbox v-for="host in ready.hosts" :key="host.origin" :value="host.origin">
            {{ host.origin }} <span class="soft">{{ host.requests }}</span>
          </ElCheckbox>
        </ElCheckboxGroup>
      </ElFormItem>
      <ElFormItem label="Think times">
        <ElSelect
          aria-label="Think times"
          :model-value="choice.waits"
          @update:model-value="(waits: ImportChoice['waits']) => choose({ waits })"
        >
          <ElOption v-for="[waits, words] in WAITS" :key="waits" :value="waits" :label="words" />
        </ElSelect>
      </ElFormItem>
      <ElCheckbox :model-value="choice.byPage" @update:model-value="choose({ byPage: !choice.byPage })">
        One group per page
      </ElCheckbox>
      <EntryList :entries="ready.entries" @turn="turn" />
    </template>
    <template v-if="ready.what === 'openapi' || ready.what === 'wsdl'">
      <ElFormItem v-if="ready.what === 'openapi'" label="Origin of the service">
        <ElInput v-model="origin" aria-label="Origin of the service" @change="choose({ origin })" />
      </ElFormItem>
      <ElFormItem label="Operations, in the order in which they are chosen">
        <div class="both">
          <ElButton size="small" text @click="choose({ operations: all })">All</ElButton>
          <ElButton size="small" text @click="choose({ operations: [] })">None</ElButton>
        </div>
        <ElCheckboxGroup
          class="list"
          aria-label="Operations"
          :model-value="choice.operations"
          @update:model-value="(chosen) => choose({ operations: inOrder(choice.operations, chosen.map(String)) })"
        >
          <ElCheckbox v-for="operation in ready.operations" :key="operation.id" :value="operation.id">
            <code>{{ operation.id }}</code> <span class="soft">{{ operation.summary }}</span>
          </ElCheckbox>
        </ElCheckboxGroup>
      </ElFormItem>
    </template>
  </ElForm>
</template>

<style scoped>
.choices {
  padding: 12px 16px;
  overflow: auto;
}
.list {
  display: grid;
  width: 100%;
}
.list :deep(.el-checkbox),
.choices > :deep(.el-checkbox) {
  height: auto;
  min-height: 24px;
  margin-right: 0;
  white-space: normal;
  overflow-wrap: anywhere;
}
.both {
  display: flex;
  width: 100%;
}
</style>
