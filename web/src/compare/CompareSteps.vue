<script setup lang="ts">
// Each figure of each step: of the first run, and of the others with how far they are off.
import { ElTable, ElTableColumn } from 'element-plus'
import type { CompareRow } from './compare-picture.js'

/** What is compared, as heads: the first, and the others. */
defineProps<{ rows: CompareRow[]; names: string[] }>()
/** What is said beside a difference. */
const WORDS = new Set(['worse', 'better', 'cannot tell'])
</script>

<template>
  <ElTable :data="rows" size="small" row-key="key" aria-label="Steps of the runs">
    <ElTableColumn prop="step" label="step" min-width="160" show-overflow-tooltip />
    <ElTableColumn prop="figure" label="figure" width="80" />
    <ElTableColumn prop="first" :label="names[0] ?? ''" width="100" align="right" />
    <ElTableColumn
      v-for="(name, index) in names.slice(1)"
      :key="name"
      :label="`${name} · difference · 95 % interval`"
      width="372"
      align="right"
    >
      <template #default="{ row }">
        <div class="cell">
          <b>{{ row.others[index].value }}</b>
          <span class="difference" :class="row.others[index].outcome">
            {{ row.others[index].difference }}
            <em v-if="WORDS.has(row.others[index].outcome)">{{ row.others[index].outcome }}</em>
          </span>
          <span class="soft interval">{{ row.others[index].interval }}</span>
        </div>
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.cell {
  display: grid;
  grid-template-columns: 72px 116px minmax(0, 160px);
  gap: 8px;
  justify-content: end;
  white-space: nowrap;
}
.difference.worse {
  color: var(--brick);
  font-weight: 600;
}
.difference.better {
  color: var(--lake);
  font-weight: 600;
}
.difference.cannot.tell {
  color: var(--ochre-text);
}
.difference em {
  font-style: normal;
}
.interval {
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
