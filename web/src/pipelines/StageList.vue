<script setup lang="ts">
// The stages of a pipeline in their order, each with what it begins with, waits for and runs.
import { beginsWords, lengthWords, type Stage } from '@jolt-gate/core'

defineProps<{ stages: readonly Stage[] }>()

function linesOf({ after, begins, requires, plans, target, madeBy, hasApproval, isByAnother }: Stage): string[] {
  const needs = requires.map(({ stage, withinMs }) =>
    withinMs === null ? stage : `${stage} within ${lengthWords(withinMs)}`,
  )
  return [
    begins.kind === 'by hand' ? 'begun by a person' : `begins with ${beginsWords(begins)}`,
    ...(after === null ? [] : [`after ${after} is open`]),
    ...(needs.length === 0 ? [] : [`requires ${needs.join(', ')}`]),
    ...(plans.length === 0
      ? []
      : [`${plans.map(({ name }) => name).join(', ')}${target === null ? '' : ` on ${target}`}`]),
    ...(madeBy === 'server' ? ['takes runs of the server alone'] : []),
    ...(hasApproval
      ? [
          isByAnother
            ? 'an administrator without a hand in the change may approve it'
            : 'an administrator may approve it',
        ]
      : []),
  ]
}
</script>

<template>
  <ol class="stages">
    <li v-for="stage in stages" :key="stage.name">
      <b>{{ stage.name }}</b>
      <span v-for="line in linesOf(stage)" :key="line" class="soft line">{{ line }}</span>
    </li>
  </ol>
</template>

<style scoped>
.stages {
  margin: 0 0 16px;
  padding: 0;
  list-style: none;
}
li {
  padding: 6px 0 10px 14px;
  border-left: 2px solid var(--rule);
}
li::before {
  display: inline-block;
  width: 8px;
  height: 8px;
  margin-right: 9px;
  margin-left: -19px;
  border-radius: 50%;
  background: var(--ink);
  content: '';
}
.line {
  display: block;
}
</style>
