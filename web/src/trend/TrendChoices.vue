<script setup lang="ts">
// Which plan against which target, on which branch, over how many runs, and which steps beside the gates.
import { ElOption, ElSelect } from 'element-plus'
import type { TrendSeries } from '@jolt-gate/core/api'
import { LAST, type TrendAsked } from './use-trend.js'

defineProps<{
  asked: TrendAsked
  choices: { plans: string[]; targets: string[]; branches: string[] } | undefined
  steps: TrendSeries[]
}>()
const emit = defineEmits<{ ask: [some: Partial<TrendAsked>] }>()
const ask = (some: Partial<TrendAsked>) => emit('ask', some)
</script>

<template>
  <div class="choices">
    <ElSelect
      :model-value="asked.plan"
      class="plan"
      aria-label="Plan"
      placeholder="plan"
      filterable
      @change="(plan: string) => ask({ plan })"
    >
      <ElOption v-for="one in choices?.plans ?? []" :key="one" :value="one" />
    </ElSelect>
    <span class="soft">against</span>
    <ElSelect
      :model-value="asked.target"
      class="target"
      aria-label="Target"
      placeholder="target"
      @change="(target: string) => ask({ target })"
    >
      <ElOption v-for="one in choices?.targets ?? []" :key="one" :value="one" />
    </ElSelect>
    <ElSelect
      :model-value="asked.branch"
      class="branch"
      aria-label="Branch"
      :empty-values="[undefined]"
      @change="(branch: string) => ask({ branch })"
    >
      <ElOption value="" label="every branch" />
      <ElOption v-for="one in choices?.branches ?? []" :key="one" :value="one" />
    </ElSelect>
    <ElSelect
      :model-value="asked.last"
      class="last"
      aria-label="How many runs"
      @change="(last: number) => ask({ last })"
    >
      <ElOption v-for="one in LAST" :key="one" :value="one" :label="`last ${one} runs`" />
    </ElSelect>
    <ElSelect
      v-if="steps.length > 0"
      :model-value="asked.steps"
      class="steps"
      multiple
      collapse-tags
      collapse-tags-tooltip
      placeholder="Add a step"
      aria-label="Steps"
      @change="(names: string[]) => ask({ steps: names })"
    >
      <ElOption v-for="{ name } in steps" :key="name" :value="name" />
    </ElSelect>
  </div>
</template>

<style scoped>
.choices {
  display: flex;
  gap: 10px;
  align-items: center;
}
.plan {
  width: 250px;
}
.target,
.branch,
.last {
  width: 130px;
}
.steps {
  width: 180px;
}
</style>
