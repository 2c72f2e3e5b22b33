<script setup lang="ts">
// Where a change stands at one stage: the sign, the word, how long it took, and why.
import { ElButton } from 'element-plus'
import VerdictSign from '../verdict/VerdictSign.vue'
import type { CellPicture } from './pipeline-picture.js'

defineProps<{ cell: CellPicture; project: number; canOpen: boolean }>()
defineEmits<{ open: [] }>()
</script>

<template>
  <div class="cell">
    <VerdictSign v-if="cell.sign" :verdict="cell.sign" />
    <span v-else class="none" aria-hidden="true"></span>
    <div>
      <b :class="{ bad: cell.isBad, lake: cell.sign === 'open', soft: !cell.sign || cell.sign === 'going' }">
        <RouterLink v-if="cell.run" :to="{ name: 'run', params: { project, run: cell.run } }">{{
          cell.title
        }}</RouterLink>
        <template v-else>{{ cell.title }}</template>
      </b>
      <div v-if="cell.note" class="soft note" :title="cell.note">{{ cell.note }}</div>
      <div v-for="plan in cell.plans" :key="plan.key" class="plan">
        <VerdictSign v-if="plan.sign" :verdict="plan.sign" class="tiny" />
        <RouterLink v-if="plan.run" :to="{ name: 'run', params: { project, run: plan.run } }">{{
          plan.name
        }}</RouterLink>
        <span v-else class="soft">{{ plan.name }}</span>
        <span v-if="plan.words" :title="plan.words">: {{ plan.words }}</span>
      </div>
      <div v-if="cell.consent" class="consent">{{ cell.consent }}</div>
      <ElButton v-if="canOpen && cell.isStuck" link size="small" @click.stop="$emit('open')">Approve…</ElButton>
    </div>
  </div>
</template>

<style scoped>
.cell {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.none {
  flex: none;
  width: 20px;
}
.bad {
  color: var(--brick);
}
b a {
  color: inherit;
}
.lake {
  color: var(--lake);
}
.note,
.plan {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 4;
  overflow: hidden;
}
.plan a {
  color: var(--ink);
}
.tiny {
  width: 14px;
  height: 9px;
  margin-right: 5px;
}
.consent {
  color: var(--ochre-text);
}
</style>
