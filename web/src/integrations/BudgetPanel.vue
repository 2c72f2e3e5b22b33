<script setup lang="ts">
// What the project may spend in a day, beside what it has spent.
import { BUDGET } from '@jolt-gate/core/api'
import { useQuery } from '@tanstack/vue-query'
import { ElButton, ElForm, ElFormItem, ElInputNumber } from 'element-plus'
import { computed, watch } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { useChecked } from '../forms/use-checked.js'

const props = defineProps<{ project: number; mayChange: boolean }>()
const {
  data,
  error,
  refetch: again,
} = useQuery({
  queryKey: ['budget', computed(() => props.project)],
  queryFn: () => api.budget(props.project),
})
const known = () => ({ ...(data.value?.budget ?? { runsADay: null, minutesADay: null }) })
const form = useChecked(BUDGET, known, async (values) => {
  await api.setBudget(props.project, values)
  await again()
})
watch(
  () => JSON.stringify(data.value?.budget),
  () => {
    form.empty()
  },
)
const spent = computed(() => {
  if (data.value === undefined) return ''
  const { runs, minutes } = data.value.spent
  return `In the last 24 hours: ${String(runs)} ${runs === 1 ? 'run' : 'runs'}, ${String(minutes)} minutes of load.`
})
</script>

<template>
  <section>
    <h2>Budget</h2>
    <p v-if="error" class="fault" role="alert">{{ wordsOf(error) }}</p>
    <p class="soft">{{ spent }} Runs of pipelines elsewhere are not counted.</p>
    <ElForm class="fields" label-position="top" @submit.prevent="form.send()">
      <ElFormItem label="Runs a day" :error="form.faults.value.runsADay">
        <ElInputNumber
          v-model="form.values.value.runsADay"
          :disabled="!mayChange"
          :controls="false"
          placeholder="any"
          :value-on-clear="null"
        />
      </ElFormItem>
      <ElFormItem label="Minutes a day" :error="form.faults.value.minutesADay">
        <ElInputNumber
          v-model="form.values.value.minutesADay"
          :disabled="!mayChange"
          :controls="false"
          placeholder="any"
          :value-on-clear="null"
        />
      </ElFormItem>
      <ElButton v-if="mayChange" native-type="submit" :loading="form.isBusy.value">Save</ElButton>
    </ElForm>
    <p v-if="form.fault.value" class="fault" role="alert">{{ form.fault.value }}</p>
  </section>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr auto;
  gap: 8px;
  align-items: start;
}
.fields .el-input-number {
  width: 100%;
}
.fields .el-button {
  margin-top: 30px;
}
</style>
