<script setup lang="ts">
// Schedules of a pipeline, with their next and last time.
import type { ScheduleLine } from '@jolt-gate/core/api'
import { ElButton } from 'element-plus'
import VerdictSign from '../verdict/VerdictSign.vue'
import { ago } from '../text/figures.js'
import { untilWords } from './pipeline-picture.js'

defineProps<{ schedules: ScheduleLine[]; now: number; mayWrite: boolean; isBusy: boolean }>()
defineEmits<{ run: [stage: string]; pause: [stage: string, isPaused: boolean] }>()
</script>

<template>
  <div v-for="schedule in schedules" :key="schedule.stage" class="schedule">
    <b>{{ schedule.stage }}</b> <code>{{ schedule.cron }}</code>
    <div class="soft">{{ schedule.zone }}</div>
    <div class="soft">
      {{ schedule.isPaused ? 'paused' : untilWords(schedule.nextAt, now) }}
      <template v-if="schedule.lastAt">
        · last <VerdictSign v-if="schedule.lastVerdict" :verdict="schedule.lastVerdict" />
        {{ ago(schedule.lastAt, now) }}
      </template>
    </div>
    <template v-if="mayWrite">
      <ElButton link size="small" :disabled="isBusy" @click="$emit('run', schedule.stage)">Run now</ElButton>
      <ElButton link size="small" :disabled="isBusy" @click="$emit('pause', schedule.stage, !schedule.isPaused)">{{
        schedule.isPaused ? 'Continue' : 'Pause'
      }}</ElButton>
    </template>
  </div>
</template>

<style scoped>
.schedule {
  margin-bottom: 12px;
  padding: 8px 12px;
  border: 1px solid var(--rule);
  background: var(--sheet);
}
</style>
