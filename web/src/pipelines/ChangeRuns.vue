<script setup lang="ts">
// All runs that were made for a change, stage by stage: those that count, and those that do not, with the reason.
import type { ChangeLine } from '@jolt-gate/core/api'
import { ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import VerdictSign from '../verdict/VerdictSign.vue'
import { ago } from '../text/figures.js'
import { signOf, stateWords, type Sign } from './pipeline-picture.js'

const props = defineProps<{ stages: ChangeLine['stages']; project: number; now: number }>()

interface Row {
  key: string
  stage: string
  plan: string
  id: string | null
  number: number | null
  sign: Sign | null
  words: string
  when: string
  commit: string
  planCommit: string
}
const rows = computed((): Row[] =>
  props.stages.flatMap(({ at: { stage, plans } }) =>
    plans.flatMap(({ plan, name, target, state, run, ignored }) => {
      const of = { stage, plan: `${name} against ${target}` }
      return [
        {
          ...{ ...of, key: `${stage} ${plan}`, id: run?.id ?? null, number: run?.number ?? null, sign: signOf(state) },
          words: [stateWords(state), run?.reason ?? ''].filter(Boolean).join(': '),
          ...{ when: ago(run?.endedAt ?? null, props.now), commit: run?.commit.slice(0, 7) ?? '' },
          planCommit: run?.planCommit?.slice(0, 7) ?? '',
        },
        ...ignored.map(({ id, number, why }) => ({
          ...{ ...of, key: `${stage} ${plan} ${id}`, id, number, sign: null, when: '', commit: '', planCommit: '' },
          words: `does not count: ${why}`,
        })),
      ]
    }),
  ),
)
</script>

<template>
  <ElTable :data="rows" size="small" row-key="key" class="runs" aria-label="Runs of this change">
    <ElTableColumn prop="stage" label="stage" width="100" />
    <ElTableColumn prop="plan" label="plan" min-width="170" show-overflow-tooltip />
    <ElTableColumn label="run" width="70">
      <template #default="{ row }">
        <RouterLink v-if="row.id" :to="{ name: 'run', params: { project, run: row.id } }"
          >run {{ row.number }}</RouterLink
        >
      </template>
    </ElTableColumn>
    <ElTableColumn label="" min-width="230">
      <template #default="{ row }">
        <VerdictSign v-if="row.sign" :verdict="row.sign" />
        {{ row.words }}
      </template>
    </ElTableColumn>
    <ElTableColumn prop="when" label="ended" width="105" />
    <ElTableColumn prop="commit" label="change" width="85" />
    <ElTableColumn prop="planCommit" label="plan at" width="85" />
  </ElTable>
</template>

<style scoped>
.runs {
  /* Not padding: columns would be laid out over it. */
  width: calc(100% - 42px);
  margin: 0 12px 8px 30px;
}
.runs a {
  color: var(--lake);
}
</style>
