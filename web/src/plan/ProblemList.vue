<script setup lang="ts">
// What is wrong with the plan, each with its place.
import { ElButton } from 'element-plus'
import type { Problem } from '@jolt-gate/core'

defineProps<{ problems: Problem[]; file: string }>()
defineEmits<{ pick: [problem: Problem] }>()
</script>

<template>
  <div class="problems" aria-live="polite">
    <h2>Problems</h2>
    <p v-if="problems.length === 0" class="soft">none</p>
    <ElButton
      v-for="(problem, index) in problems"
      :key="index"
      text
      class="problem"
      :class="problem.severity"
      @click="$emit('pick', problem)"
    >
      <span class="place">{{
        problem.file === file ? `${problem.line}:${problem.column}` : `${problem.file}:${problem.line}`
      }}</span>
      <span>{{ problem.message }}</span>
    </ElButton>
  </div>
</template>

<style scoped>
.problems {
  padding-top: 10px;
}
.problem {
  width: 100%;
  height: auto;
  margin: 0;
  padding: 6px 0;
  justify-content: start;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  overflow-wrap: anywhere;
  white-space: normal;
  cursor: pointer;
}
.problem :deep(> span) {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  line-height: 1.35;
}
.problem :deep(> span > span:last-child) {
  flex: 1 1 180px;
  min-width: 0;
}
.place {
  flex: none;
  min-width: 38px;
  color: var(--brick);
  font-weight: 650;
}
.warning .place {
  color: var(--ochre-text);
}
</style>
