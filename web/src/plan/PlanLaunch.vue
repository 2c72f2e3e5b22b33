<script setup lang="ts">
// What the plan goes against, and the two ways to try it: one user once, or the load.
import { ElButton } from 'element-plus'
import { growthWarning, type HeldLoad, type Problem } from '@jolt-gate/core'
import { computed } from 'vue'
import type { PlanView } from './plan.worker.js'
import { counted } from '../text/figures.js'

const props = defineProps<{
  view: PlanView | undefined
  /** Of the text and of the form. */
  problems: readonly Problem[]
  held: (HeldLoad & { target: string })[]
  isChanged: boolean
  isBusy: boolean
  mayWrite: boolean
  fault: string
}>()
defineEmits<{ rehearse: []; run: [] }>()

const target = computed(() => props.view?.target)
const errors = computed(() => props.problems.filter(({ severity }) => severity === 'error').length)
const isReady = computed(() => props.view !== undefined && errors.value === 0 && props.mayWrite)
const isOnLoopback = computed(
  () => !props.view?.problems.some(({ code }) => code === 'PERMISSION') && target.value?.permission === undefined,
)
/** A larger load before a smaller one has held is worth a word, not more. */
const growth = computed(() => {
  const preview = props.view?.preview
  if (!preview || !target.value) return undefined
  const { name } = target.value
  return growthWarning(
    preview,
    props.held.filter((one) => one.target === name),
  )
})
</script>

<template>
  <p class="against">
    against <b>{{ target?.name ?? '…' }}</b>
    <span v-if="target && target.name !== target.origin" class="soft">{{ target.origin }}</span>
  </p>
  <p class="soft">
    {{ isOnLoopback ? 'on loopback: may be loaded freely' : 'not on loopback: its permission applies' }}
  </p>
  <p v-if="growth" class="growth">{{ growth }}</p>
  <div class="go">
    <ElButton :disabled="!isReady" @click="$emit('rehearse')">Rehearse</ElButton>
    <ElButton type="primary" :loading="isBusy" :disabled="!isReady" @click="$emit('run')">
      {{ isChanged ? 'Commit and run…' : 'Run' }}
    </ElButton>
  </div>
  <p v-if="errors > 0" class="fault">{{ counted(errors, 'problem') }} to fix first</p>
  <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
</template>

<style scoped>
.against {
  padding-bottom: 2px;
}
.against .soft {
  margin-left: 6px;
}
.go {
  display: grid;
  grid-template-columns: 1fr 1.4fr;
  gap: 8px;
  padding-top: 12px;
}
.go .el-button {
  height: 36px;
  margin: 0;
}
.growth {
  padding-top: 6px;
  color: var(--ochre-text);
  font-size: 12px;
  line-height: 1.3;
}
.fault {
  padding-top: 6px;
}
</style>
