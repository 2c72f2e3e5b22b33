<script setup lang="ts">
// A plan that is to run by the clock: how often, when, in which pipeline. It becomes a stage of the pipeline's file.
import { useQuery } from '@tanstack/vue-query'
import { ElButton, ElDialog, ElFormItem, ElInput, ElMessage, ElOption, ElSelect, ElTimeSelect } from 'element-plus'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../api/client.js'
import { useChecked } from '../forms/use-checked.js'
import { cronOf, inZone, OFTEN, OWN_ZONE, SCHEDULE, withSchedule, type Often } from './schedule-form.js'

const props = defineProps<{ project: number; plan: string; name: string }>()
const isOpen = defineModel<boolean>({ required: true })
const router = useRouter()
const NEW = 'pipelines/schedules.pipeline.yaml'

const { data: pipelines } = useQuery({
  queryKey: ['pipelines', () => props.project],
  queryFn: () => api.pipelines(props.project),
  enabled: isOpen,
})
const { data: targets } = useQuery({
  queryKey: ['targets', () => props.project],
  queryFn: () => api.targets(props.project),
  enabled: isOpen,
})
const files = computed(() => {
  const there = (pipelines.value?.pipelines ?? []).map(({ file }) => ({ value: file, label: file }))
  return there.some(({ value }) => value === NEW) ? there : [...there, { value: NEW, label: `${NEW} (new)` }]
})
const zones = Intl.supportedValuesOf('timeZone')

const { values, faults, fault, isBusy, send } = useChecked(
  SCHEDULE,
  (): { stage: string; time: string; file: string; often: Often; zone: string; target: string } => ({
    ...{ stage: `nightly ${props.name}`.slice(0, 100), time: '02:30', file: '', often: 'weekdays' },
    ...{ zone: OWN_ZONE, target: '' },
  }),
  async () => {
    const { stage, time, often, zone, target } = values.value
    const file = chosen.value
    const { text, base } = await api.pipelineText(props.project, file)
    const next = withSchedule(text, { file, stage: stage.trim(), time, often, zone, target, plan: props.plan })
    await api.savePipeline(props.project, file, { text: next, message: `Schedule ${props.plan}`, base })
    isOpen.value = false
    ElMessage.success(`${props.plan} is scheduled.`)
    await router.push({ name: 'schedules', params: { project: props.project } })
  },
)
const chosen = computed(() => (values.value.file === '' ? (files.value[0]?.value ?? NEW) : values.value.file))
const words = computed(() => `begins: schedule "${cronOf(values.value)}" zone ${values.value.zone}`)
const today = inZone(new Date().toISOString(), undefined)
</script>

<template>
  <ElDialog v-model="isOpen" :title="`Schedule ${name}`" width="520" append-to-body>
    <form class="schedule" @submit.prevent="send()">
      <ElFormItem label="How often" label-position="top">
        <ElSelect v-model="values.often" aria-label="How often">
          <ElOption v-for="one in OFTEN" :key="one.value" :value="one.value" :label="one.label" />
        </ElSelect>
      </ElFormItem>
      <ElFormItem
        :label="values.often === 'hour' ? 'At this minute' : 'At'"
        label-position="top"
        :error="faults.time ?? ''"
      >
        <ElTimeSelect
          v-model="values.time"
          start="00:00"
          end="23:45"
          step="00:15"
          :clearable="false"
          aria-label="Time of day"
        />
      </ElFormItem>
      <ElFormItem class="wide" label="Time zone" label-position="top">
        <ElSelect v-model="values.zone" filterable aria-label="Time zone">
          <ElOption v-for="zone in zones" :key="zone" :value="zone" />
        </ElSelect>
      </ElFormItem>
      <ElFormItem label="Target" label-position="top">
        <ElSelect v-model="values.target" aria-label="Target" :empty-values="[undefined]">
          <ElOption value="" label="the plan’s own" />
          <ElOption v-for="one in targets?.targets ?? []" :key="one.name" :value="one.name" />
        </ElSelect>
      </ElFormItem>
      <ElFormItem label="Stage" label-position="top" :error="faults.stage ?? ''">
        <ElInput v-model="values.stage" aria-label="Stage" maxlength="100" />
      </ElFormItem>
      <ElFormItem class="wide" label="Pipeline" label-position="top">
        <ElSelect :model-value="chosen" aria-label="Pipeline" @change="(file: string) => (values.file = file)">
          <ElOption v-for="one in files" :key="one.value" v-bind="one" />
        </ElSelect>
      </ElFormItem>
      <p class="soft wide">
        Committed to the pipeline as <code>{{ words }}</code>. It is {{ today }} here.
      </p>
      <p v-if="fault" class="fault wide" role="alert">{{ fault }}</p>
      <span class="wide">
        <ElButton type="primary" native-type="submit" :loading="isBusy">Schedule</ElButton>
        <ElButton @click="isOpen = false">Cancel</ElButton>
      </span>
    </form>
  </ElDialog>
</template>

<style scoped>
.schedule {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 0 14px;
}
.wide {
  grid-column: 1 / -1;
}
p {
  padding-bottom: 10px;
}
</style>
