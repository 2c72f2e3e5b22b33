<script setup lang="ts">
// Changes as rows, stages as columns; a row opens to all of its runs.
import type { ChangeLine, PipelineSummary } from '@jolt-gate/core/api'
import { ElTable, ElTableColumn } from 'element-plus'
import { ago } from '../text/figures.js'
import ChangeRuns from './ChangeRuns.vue'
import { cellOf, stageNote } from './pipeline-picture.js'
import StageCell from './StageCell.vue'

const props = defineProps<{
  pipeline: PipelineSummary
  changes: ChangeLine[]
  project: number
  now: number
  mayOpen: boolean
}>()
const emit = defineEmits<{ choose: [commit: string]; open: [change: ChangeLine, stage: number] }>()

function open(row: number, stage: number): void {
  const change = props.changes[row]
  if (change !== undefined) emit('open', change, stage)
}
const isShut = (change: ChangeLine | undefined, index: number) => {
  const asked = change?.stages[index]
  return asked?.admission == null ? asked?.at.state !== 'open' : asked.admission.answer !== 'admitted'
}
</script>

<template>
  <ElTable
    :data="changes"
    row-key="commit"
    highlight-current-row
    aria-label="Changes and stages"
    @current-change="(row: ChangeLine | null) => row && $emit('choose', row.commit)"
  >
    <ElTableColumn type="expand" width="30">
      <template #default="{ row }">
        <ChangeRuns :stages="row.stages" :project="project" :now="now" />
      </template>
    </ElTableColumn>
    <ElTableColumn label="change" min-width="200">
      <template #default="{ row }">
        <b class="message">{{ row.message ?? row.commit.slice(0, 12) }}</b>
        <div class="soft">
          <code v-if="row.message">{{ row.commit.slice(0, 7) }}</code>
          <template v-if="row.branch"> on {{ row.branch }}</template>
          <template v-if="!row.message"> of another repository</template> · {{ ago(row.at, now) }}
          <template v-if="row.who"> · {{ row.who }}</template>
        </div>
      </template>
    </ElTableColumn>
    <ElTableColumn v-for="(stage, index) in pipeline.stages" :key="stage.name" min-width="165">
      <template #header>
        <RouterLink
          class="stage"
          :to="{ name: 'stage', params: { project }, query: { file: pipeline.file, stage: stage.name } }"
          >{{ stage.name }}</RouterLink
        >
        <span class="soft">{{ stageNote(stage) }}</span>
      </template>
      <template #default="{ row, $index }">
        <StageCell
          v-if="row.stages[index]"
          :cell="cellOf(row.stages[index])"
          :project="project"
          :can-open="mayOpen && stage.hasApproval && isShut(changes[$index], index)"
          @open="open($index, index)"
        />
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.message {
  overflow-wrap: anywhere;
}
.stage {
  display: block;
  color: var(--ink);
  font-weight: 600;
}
:deep(.el-table__expanded-cell) {
  background: var(--sheet) !important;
}
:deep(td.el-table__cell) {
  vertical-align: top;
}
</style>
