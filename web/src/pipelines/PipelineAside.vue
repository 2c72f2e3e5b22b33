<script setup lang="ts">
// Beside the changes: schedules, what is queued, and how a pipeline elsewhere runs and asks.
import type { RunSummary, ScheduleLine } from '@jolt-gate/core/api'
import CommandBox from '../forms/CommandBox.vue'
import ScheduleList from './ScheduleList.vue'

defineProps<{
  schedules: ScheduleLine[]
  queue: RunSummary[]
  commands: string[]
  project: number
  now: number
  mayWrite: boolean
  isBusy: boolean
}>()
defineEmits<{ run: [stage: string]; pause: [stage: string, isPaused: boolean] }>()

const whereOf = ({ targetName, startedBy }: RunSummary) =>
  ` on ${targetName}${startedBy === null ? '' : `, by ${startedBy}`}`
</script>

<template>
  <aside>
    <template v-if="schedules.length > 0">
      <h2>Schedules</h2>
      <ScheduleList
        :schedules="schedules"
        :now="now"
        :may-write="mayWrite"
        :is-busy="isBusy"
        @run="(stage) => $emit('run', stage)"
        @pause="(stage, isPaused) => $emit('pause', stage, isPaused)"
      />
    </template>
    <h2>Queue</h2>
    <p v-if="queue.length === 0" class="soft box">Nothing is running.</p>
    <ol v-else class="box">
      <li v-for="one in queue" :key="one.id">
        <RouterLink :to="{ name: 'run', params: { project, run: one.id } }">{{ one.planName }}</RouterLink>
        <span class="soft">{{ whereOf(one) }}</span>
      </li>
    </ol>
    <h2>In a pipeline elsewhere</h2>
    <CommandBox v-for="command in commands" :key="command" :text="command" />
  </aside>
</template>

<style scoped>
h2 {
  padding: 4px 0 6px;
}
.box {
  margin: 0 0 12px;
  padding: 8px 12px;
  border: 1px solid var(--rule);
  background: var(--sheet);
  list-style-position: inside;
}
.box a {
  color: var(--ink);
  font-weight: 600;
}
</style>
