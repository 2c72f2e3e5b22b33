<script setup lang="ts">
// A stage that admits: of each change whether it was admitted, refused or waits, why, and who approved it.
import type { AdmissionAnswer, ChangeLine, PipelineSummary } from '@jolt-gate/core/api'
import { ElButton, ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import VerdictSign from '../verdict/VerdictSign.vue'
import { ago } from '../text/figures.js'
import { cellOf, signOf, stateWords } from './pipeline-picture.js'

const props = defineProps<{
  stage: PipelineSummary['stages'][number]
  place: number
  changes: ChangeLine[]
  now: number
  mayApprove: boolean
}>()
defineEmits<{ approve: [change: ChangeLine] }>()

const rows = computed(() =>
  props.changes.flatMap((change) => {
    const own = change.stages[props.place]
    return own?.admission == null ? [] : [{ change, admission: own.admission, cell: cellOf(own) }]
  }),
)
/** Why a required stage counts, or not, without its name, which stands before it. */
function whyOf({ stage, words }: AdmissionAnswer['required'][number]): string {
  const rest = words.startsWith(`${stage.stage}: `) ? words.slice(stage.stage.length + 2) : words
  return rest.toLowerCase().startsWith(stage.state) ? rest : `${stateWords(stage.state)}: ${rest}`
}
const sum = computed(() => {
  const counts = new Map<string, number>()
  for (const { cell } of rows.value) counts.set(cell.title, (counts.get(cell.title) ?? 0) + 1)
  const words = [...counts].map(([title, count]) => `${String(count)} ${title.toLowerCase()}`)
  return `Last ${String(rows.value.length)} changes: ${words.join(', ')}.`
})
</script>

<template>
  <p class="sum">
    <template v-if="rows.length > 0">{{ sum }}&nbsp;</template>
    <span class="soft">It requires {{ stage.requires.join(', ') || stage.after || 'nothing' }}.</span>
  </p>
  <ElTable
    :data="rows"
    size="small"
    :row-key="(row: { change: ChangeLine }) => row.change.commit"
    empty-text="No change yet"
    aria-label="Admissions of the stage"
  >
    <ElTableColumn label="change" min-width="200">
      <template #default="{ row }">
        <b class="message">{{ row.change.message ?? row.change.commit.slice(0, 12) }}</b>
        <div class="soft">
          <code>{{ row.change.commit.slice(0, 7) }}</code>
          <template v-if="row.change.branch"> on {{ row.change.branch }}</template> · {{ ago(row.change.at, now) }}
        </div>
      </template>
    </ElTableColumn>
    <ElTableColumn label="answer" width="130">
      <template #default="{ row }">
        <VerdictSign v-if="row.cell.sign" :verdict="row.cell.sign" />
        <b :class="{ bad: row.cell.isBad }">{{ row.cell.title }}</b>
      </template>
    </ElTableColumn>
    <ElTableColumn label="why" min-width="260">
      <template #default="{ row }">
        <div v-for="one in row.admission.required" :key="one.stage.stage">
          <VerdictSign v-if="signOf(one.stage.state)" :verdict="signOf(one.stage.state) ?? 'going'" />
          <b>{{ one.stage.stage }}</b> <span class="soft">{{ whyOf(one) }}</span>
        </div>
      </template>
    </ElTableColumn>
    <ElTableColumn label="approval" min-width="190">
      <template #default="{ row }">
        <template v-if="row.admission.approval">
          {{ row.admission.approval.by }}, {{ ago(row.admission.approval.at, now) }}
          <div class="soft">"{{ row.admission.approval.reason }}"</div>
        </template>
        <ElButton v-else-if="mayApprove && row.cell.isStuck" link @click="$emit('approve', row.change)"
          >Approve…</ElButton
        >
        <span v-else class="soft">{{ stage.hasApproval ? 'none' : 'takes none' }}</span>
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.sum {
  padding-bottom: 10px;
}
.bad {
  color: var(--brick);
}
.message {
  overflow-wrap: anywhere;
}
</style>
