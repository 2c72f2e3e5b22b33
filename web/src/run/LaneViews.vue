<script setup lang="ts">
// Named sets of lanes of the project: shown, kept, deleted; one is what the runs of a plan open with.
import type { LaneView } from '@jolt-gate/core/api'
import { ArrowDown } from '@element-plus/icons-vue'
import {
  ElButton,
  ElCheckbox,
  ElDialog,
  ElDropdown,
  ElDropdownItem,
  ElDropdownMenu,
  ElIcon,
  ElInput,
} from 'element-plus'
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { takeCursor } from '../forms/take-cursor.js'
import { useMay } from '../stores/may.js'

const props = defineProps<{
  project: number
  planFile: string
  views: readonly LaneView[]
  lanes: string
}>()
const emit = defineEmits<{ show: [lanes: string]; fault: [words: string] }>()
const may = useMay(() => props.project)
const queries = useQueryClient()
const isSaving = ref(false)
const name = ref('')
const isOfPlan = ref(false)
const shown = computed(() => props.views.find(({ lanes }) => lanes === props.lanes))
watch(isSaving, (open) => {
  if (!open) return
  name.value = shown.value?.name ?? ''
  isOfPlan.value = shown.value?.planFile === props.planFile
})

async function changing(task: () => Promise<unknown>): Promise<void> {
  try {
    await task()
    await queries.invalidateQueries({ queryKey: ['views', props.project] })
  } catch (error) {
    emit('fault', wordsOf(error))
  }
}
async function save(): Promise<void> {
  if (name.value.trim() === '') return
  const planFile = isOfPlan.value ? props.planFile : null
  await changing(() => api.saveView(props.project, { name: name.value.trim(), lanes: props.lanes, planFile }))
  isSaving.value = false
}
type Act = 'all' | 'save' | 'delete' | `show ${string}`
function act(what: Act): void {
  if (what === 'all') emit('show', '')
  else if (what === 'save') isSaving.value = true
  else if (what === 'delete' && shown.value !== undefined) {
    const { id } = shown.value
    void changing(() => api.removeView(props.project, id))
  } else if (what.startsWith('show ')) emit('show', what.slice(5))
}
</script>

<template>
  <ElDropdown trigger="click" @command="act">
    <ElButton size="small" text>
      {{ shown === undefined ? 'View' : `View: ${shown.name}` }} <ElIcon class="arrow"><ArrowDown /></ElIcon>
    </ElButton>
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem command="all">Default lanes</ElDropdownItem>
        <ElDropdownItem v-for="view in views" :key="view.id" :command="`show ${view.lanes}`"
          >{{ view.name }}<span v-if="view.planFile === planFile" class="soft">, of this plan</span></ElDropdownItem
        >
        <ElDropdownItem v-if="may.mayWrite" command="save" divided>Save as view…</ElDropdownItem>
        <ElDropdownItem v-if="may.mayWrite && shown" command="delete">Delete “{{ shown.name }}”</ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
  <ElDialog v-model="isSaving" title="Save as view" width="420" append-to-body @opened="takeCursor">
    <form @submit.prevent="save()">
      <ElInput v-model="name" maxlength="100" aria-label="Name of the view" placeholder="Name, such as Checkout" />
      <ElCheckbox v-model="isOfPlan">Runs of this plan open with it</ElCheckbox>
      <div class="buttons">
        <ElButton @click="isSaving = false">Cancel</ElButton>
        <ElButton type="primary" native-type="submit" :disabled="name.trim() === ''">Keep</ElButton>
      </div>
    </form>
  </ElDialog>
</template>

<style scoped>
.arrow {
  margin-left: 4px;
}
.soft {
  padding-left: 4px;
}
.buttons {
  display: flex;
  justify-content: flex-end;
}
</style>
