<script setup lang="ts">
// Shifts, the latest first, each with the runs it lies between, and what is known of it.
import { LEAST_RUNS } from '@jolt-gate/core'
import { ElButton, ElDialog, ElInput } from 'element-plus'
import { ref } from 'vue'
import type { TrendNote } from '@jolt-gate/core/api'
import { takeCursor } from '../forms/take-cursor.js'
import type { ChangeWords } from './trend-picture.js'

const props = defineProps<{
  project: number
  changes: ChangeWords[]
  /** Whether shifts have been looked for in all that is shown. */
  isRead: boolean
  /** Runs that are neither void nor stopped. */
  countedRuns: number
  notes: TrendNote[]
  mayWrite: boolean
}>()
const emit = defineEmits<{
  acknowledge: [change: ChangeWords, words: string]
  retract: [note: TrendNote]
}>()

const notesOf = (change: ChangeWords) =>
  props.notes.filter(({ run, series }) => run === change.runs[1].id && series === change.series)
const acknowledged = ref<ChangeWords>()
const words = ref('')
function ask(change: ChangeWords): void {
  acknowledged.value = change
  words.value = ''
}
function save(): void {
  if (acknowledged.value === undefined || words.value.trim() === '') return
  emit('acknowledge', acknowledged.value, words.value.trim())
  acknowledged.value = undefined
}
const compareTo = ([last, first]: ChangeWords['runs']) => ({
  name: 'compare',
  params: { project: props.project },
  query: { runs: `${last.id},${first.id}` },
})
</script>

<template>
  <section>
    <h2>Shifts</h2>
    <p v-if="!isRead" class="soft">Looking for shifts…</p>
    <p v-else-if="countedRuns < 2 * LEAST_RUNS" class="soft">
      Cannot tell: {{ countedRuns }} of these runs {{ countedRuns === 1 ? 'counts' : 'count' }}, and a shift takes
      {{ LEAST_RUNS }} on either side.
    </p>
    <p v-else-if="changes.length === 0" class="soft">No shift in these runs.</p>
    <article v-for="change in changes" :key="change.key" :class="{ worse: change.isWorse }">
      <h3>{{ change.title }}</h3>
      <p class="soft">{{ change.detail }}</p>
      <p>
        <code>{{ change.commits }}</code>
      </p>
      <p v-for="note in notesOf(change)" :key="note.id" class="note">
        {{ note.words }} <span class="soft">{{ note.by }}</span>
        <ElButton v-if="mayWrite" link size="small" @click="$emit('retract', note)">Remove comment</ElButton>
      </p>
      <p class="acts">
        <RouterLink :to="compareTo(change.runs)"
          >Compare {{ change.runs[0].number }} and {{ change.runs[1].number }}</RouterLink
        >
        <ElButton v-if="mayWrite && notesOf(change).length === 0" link @click="ask(change)">Acknowledge…</ElButton>
      </p>
    </article>
    <ElDialog
      :model-value="acknowledged !== undefined"
      title="Acknowledge the shift"
      width="460"
      @update:model-value="acknowledged = undefined"
      @open-auto-focus="takeCursor()"
      @opened="takeCursor()"
    >
      <form class="ask" @submit.prevent="save()">
        <p>{{ acknowledged?.title }}: what caused it?</p>
        <ElInput v-model="words" autofocus maxlength="1000" aria-label="Comment on the shift" />
        <span>
          <ElButton type="primary" native-type="submit" :disabled="words.trim() === ''">Acknowledge</ElButton>
          <ElButton @click="acknowledged = undefined">Cancel</ElButton>
        </span>
      </form>
    </ElDialog>
  </section>
</template>

<style scoped>
h2 {
  padding-bottom: 8px;
}
article {
  margin-bottom: 12px;
  padding-left: 10px;
  border-left: 3px solid var(--lake);
}
article.worse {
  border-left-color: var(--brick);
}
h3 {
  font-size: 13px;
}
.note {
  padding: 4px 0;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: center;
}
.acts a {
  color: var(--lake);
}
.ask {
  display: grid;
  gap: 12px;
}
</style>
