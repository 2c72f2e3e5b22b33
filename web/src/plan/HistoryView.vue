<script setup lang="ts">
// Who changed this plan, when and why, and what ran then.
import { verdictWords } from '@jolt-gate/core'
import { useAsyncState } from '@vueuse/core'
import { ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { CommitLine } from '@jolt-gate/core/api'
import PageError from '../frame/PageError.vue'
import VerdictSign from '../signs/VerdictSign.vue'

const props = defineProps<{ project: number; file: string; mayWrite: boolean }>()
const emit = defineEmits<{ restore: [text: string, commit: string]; compare: [text: string, commit: string] }>()
const { state, error, execute } = useAsyncState(() => api.history(props.project, props.file), undefined)
const fault = ref('')

async function take(commit: CommitLine, act: 'restore' | 'compare'): Promise<void> {
  fault.value = ''
  try {
    const { text } = await api.version(props.project, props.file, commit.commit)
    if (act === 'restore') emit('restore', text, commit.commit)
    else emit('compare', text, commit.commit)
  } catch (failure) {
    fault.value = wordsOf(failure)
  }
}
</script>

<template>
  <PageError v-if="error" title="The history could not be read" :detail="wordsOf(error)" @again="execute()" />
  <div v-else class="history">
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <p v-if="state?.commits.length === 0" class="soft">not committed yet</p>
    <table v-if="state" class="table">
      <tbody>
        <tr v-for="(commit, index) in state.commits" :key="commit.commit">
          <td>
            <b>{{ commit.message }}</b>
            <div class="soft">
              {{ commit.who }} · {{ commit.at.slice(0, 16).replace('T', ' ') }} ·
              <code>{{ commit.commit.slice(0, 7) }}</code>
            </div>
          </td>
          <td class="runs">
            <RouterLink
              v-for="run in commit.runs.slice(0, 6)"
              :key="run.id"
              :to="{ name: 'run', params: { project, run: run.id } }"
              :title="run.verdict === null ? 'Running' : verdictWords(run.verdict)"
            >
              <VerdictSign :verdict="run.verdict ?? 'going'" /> {{ run.number }}
            </RouterLink>
          </td>
          <td class="acts">
            <button type="button" class="link" @click="take(commit, 'compare')">compare with the current text</button>
            <button v-if="mayWrite && index > 0" type="button" class="link" @click="take(commit, 'restore')">
              restore
            </button>
          </td>
        </tr>
      </tbody>
    </table>
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
.acts {
  white-space: nowrap;
}
.acts .link {
  margin-left: 14px;
}
</style>
