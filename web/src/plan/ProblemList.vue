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
      <span class="place">{{ problem.file === file ? `${problem.line}:${problem.column}` : problem.file }}</span>
      <span>{{ problem.message }}</span>
    </ElButton>
  </div>
</template>

<style scoped>
.problems {
  padding-top: 10px;
}
.problem {
  display: flex;
  gap: 10px;
  width: 100%;
  padding: 6px 0;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  overflow-wrap: anywhere;
  cursor: pointer;
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
