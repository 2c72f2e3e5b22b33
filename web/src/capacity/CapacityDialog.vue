<script setup lang="ts">
// How much can the service of a plan take: what to look for, between which loads, and how long it may take.
import { useQuery } from '@tanstack/vue-query'
import { ElButton, ElDialog, ElFormItem, ElInput, ElOption, ElRadio, ElRadioGroup, ElSelect } from 'element-plus'
import { useRouter } from 'vue-router'
import { api } from '../api/client.js'
import { useChecked } from '../forms/use-checked.js'
import { ASKED, askedWords, EXAMPLES, freshAsked, KINDS, type Kind } from './capacity-words.js'

const props = defineProps<{ project: number; plan: string; name: string; isChanged: boolean }>()
const isOpen = defineModel<boolean>({ required: true })
const router = useRouter()
const { data: targets } = useQuery({
  queryKey: ['targets', () => props.project],
  queryFn: () => api.targets(props.project),
  enabled: isOpen,
})
const { values, faults, fault, isBusy, send } = useChecked(ASKED, freshAsked, async (asked) => {
  const words = askedWords(asked)
  const target = asked.target === '' ? {} : { target: asked.target }
  const { id } = await api.findCapacity(props.project, { plan: props.plan, ...words, ...target })
  isOpen.value = false
  await router.push({ name: 'capacity', params: { project: props.project, search: id } })
})
function choose(kind: Kind): void {
  values.value = { ...values.value, kind, load: EXAMPLES[kind] }
}
const chosen = (value: string | number | boolean | undefined) => {
  const kind = KINDS.find((one) => one.value === value)?.value
  if (kind !== undefined) choose(kind)
}
</script>

<template>
  <ElDialog v-model="isOpen" :title="`Find the capacity of ${name}`" width="560" append-to-body>
    <form class="asked" @submit.prevent="send()">
      <p class="soft wide">
        Trials with the journeys and gates of this plan{{ isChanged ? ', as committed' : '' }}, each at one load, until
        it is clear up to where every gate holds.
      </p>
      <ElRadioGroup class="wide kinds" :model-value="values.kind" aria-label="What to find" @change="chosen">
        <ElRadio v-for="one in KINDS" :key="one.value" :value="one.value">{{ one.label }}</ElRadio>
      </ElRadioGroup>
      <ElFormItem
        :label="values.kind === 'atLeast' ? 'Load: a rate, or users' : 'Between'"
        label-position="top"
        :error="faults.load ?? ''"
      >
        <ElInput v-model="values.load" :placeholder="EXAMPLES[values.kind]" aria-label="Load" maxlength="100" />
      </ElFormItem>
      <ElFormItem label="Target" label-position="top">
        <ElSelect v-model="values.target" aria-label="Target" :empty-values="[undefined]">
          <ElOption value="" label="the plan’s own" />
          <ElOption v-for="one in targets?.targets ?? []" :key="one.name" :value="one.name" />
        </ElSelect>
      </ElFormItem>
      <ElFormItem label="Each trial measures for" label-position="top" :error="faults.hold ?? ''">
        <ElInput v-model="values.hold" aria-label="Each trial measures for" maxlength="20" />
      </ElFormItem>
      <ElFormItem label="All of it takes at most" label-position="top" :error="faults.within ?? ''">
        <ElInput v-model="values.within" aria-label="All of it takes at most" maxlength="20" />
      </ElFormItem>
      <ElFormItem
        v-if="values.kind !== 'atLeast'"
        label="Width of the answer"
        label-position="top"
        :error="faults.exact ?? ''"
      >
        <ElInput v-model="values.exact" aria-label="Width of the answer" maxlength="20" />
      </ElFormItem>
      <p v-if="fault" class="fault wide" role="alert">{{ fault }}</p>
      <span class="wide">
        <ElButton type="primary" native-type="submit" :loading="isBusy">Find capacity</ElButton>
        <ElButton @click="isOpen = false">Cancel</ElButton>
      </span>
    </form>
  </ElDialog>
</template>

<style scoped>
.asked {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 0 14px;
}
.wide {
  grid-column: 1 / -1;
}
.kinds {
  display: grid;
  justify-items: start;
  padding: 6px 0 8px;
}
</style>
