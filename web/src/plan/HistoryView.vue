<script setup lang="ts">
// Who changed this plan, when and why, and what ran then.
import { ElButton, ElTable, ElTableColumn } from 'element-plus'
import { verdictWords } from '@jolt-gate/core'
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import VerdictSign from '../verdict/VerdictSign.vue'

const props = defineProps<{ project: number; file: string; mayWrite: boolean }>()
const emit = defineEmits<{ restore: [text: string, commit: string]; compare: [text: string, commit: string] }>()
const {
  data: state,
  error,
  refetch,
} = useQuery({
  queryKey: ['history', () => props.project, () => props.file],
  queryFn: () => api.history(props.project, props.file),
})
const fault = ref('')

async function take(commit: string, act: 'restore' | 'compare'): Promise<void> {
  fault.value = ''
  try {
    const { text } = await api.version(props.project, props.file, commit)
    if (act === 'restore') emit('restore', text, commit)
    else emit('compare', text, commit)
  } catch (failure) {
    fault.value = wordsOf(failure)
  }
}
</script>

<template>
  <PageError v-if="error && !state" title="The history could not be read" :detail="wordsOf(error)" @again="refetch()" />
  <div v-else class="history">
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <ElTable v-if="state && state.commits.length > 0" :data="state.commits" row-key="commit" :show-header="false">
      <ElTableColumn min-width="240">
        <template #default="{ row }">
          <b>{{ row.message }}</b>
          <div class="soft">
            {{ row.who }} · {{ row.at.slice(0, 16).replace('T', ' ') }} · <code>{{ row.commit.slice(0, 7) }}</code>
          </div>
        </template>
      </ElTableColumn>
      <ElTableColumn min-width="120">
        <template #default="{ row }">
          <span class="runs">
            <RouterLink
              v-for="run in row.runs.slice(0, 6)"
              :key="run.id"
              :to="{ name: 'run', params: { project, run: run.id } }"
              :title="run.verdict === null ? 'Running' : verdictWords(run.verdict)"
            >
              <VerdictSign :verdict="run.verdict ?? 'going'" /> {{ run.number }}
            </RouterLink>
          </span>
        </template>
      </ElTableColumn>
      <ElTableColumn width="280" align="right">
        <template #default="{ row, $index }">
          <ElButton link @click="take(row.commit, 'compare')">Compare with the current text</ElButton>
          <ElButton v-if="mayWrite && $index > 0" link @click="take(row.commit, 'restore')">Restore</ElButton>
        </template>
      </ElTableColumn>
    </ElTable>
    <p v-else-if="state" class="soft">Not committed yet.</p>
    <p v-else class="soft">Loading history…</p>
  </div>
</template>

<style scoped>
.history {
  height: 100%;
  padding: 6px 16px;
  overflow: auto;
}
.runs a {
  display: inline-flex;
  gap: 4px;
  align-items: center;
  margin-right: 10px;
  text-decoration: none;
}
</style>
