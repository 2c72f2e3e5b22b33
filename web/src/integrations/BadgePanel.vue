<script setup lang="ts">
// A picture of a plan's last verdict, for a page of somebody else.
import { useQuery } from '@tanstack/vue-query'
import { ElButton, ElOption, ElPopconfirm, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import CommandBox from '../forms/CommandBox.vue'

const props = defineProps<{ project: number; mayChange: boolean }>()
const project = computed(() => props.project)
const { data, refetch } = useQuery({ queryKey: ['badges', project], queryFn: () => api.badges(props.project) })
const { data: plans } = useQuery({ queryKey: ['plans', project], queryFn: () => api.plans(props.project) })
const { data: branches } = useQuery({ queryKey: ['branches', project], queryFn: () => api.branches(props.project) })
const ANY = ''
const [chosen, branch, fault] = [ref(''), ref(ANY), ref('')]
const files = computed(() => (plans.value?.plans ?? []).map(({ file }) => file))
const plan = computed({ get: () => chosen.value || (files.value[0] ?? ''), set: (file) => (chosen.value = file) })
const address = computed(() => {
  const query = new URLSearchParams({ plan: plan.value, ...(branch.value === ANY ? {} : { branch: branch.value }) })
  return `/api/badges/${data.value?.badgeKey ?? ''}?${query.toString()}`
})
const markdown = computed(() => `![load test](${location.origin}${address.value})`)
async function publish(isPublic: boolean): Promise<void> {
  fault.value = ''
  await api.publishBadges(props.project, isPublic).catch((problem: unknown) => (fault.value = wordsOf(problem)))
  await refetch()
}
</script>

<template>
  <section>
    <h2>Badge</h2>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <template v-if="data?.badgeKey">
      <div class="choices">
        <ElSelect v-model="plan" aria-label="Plan of the badge">
          <ElOption v-for="file in files" :key="file" :value="file" :label="file" />
        </ElSelect>
        <ElSelect v-model="branch" aria-label="Branch of the badge" :empty-values="[null, undefined]">
          <ElOption :value="ANY" label="any branch" />
          <ElOption v-for="one in branches?.branches ?? []" :key="one" :value="one" :label="one" />
        </ElSelect>
      </div>
      <p v-if="plan"><img :src="address" alt="The badge as others see it" /></p>
      <CommandBox :text="markdown" />
      <ElPopconfirm
        v-if="mayChange"
        title="Make the badges private? Their addresses stop working."
        confirm-button-text="Make private"
        width="240"
        @confirm="publish(false)"
      >
        <template #reference><ElButton size="small" text type="danger">Make private</ElButton></template>
      </ElPopconfirm>
    </template>
    <template v-else>
      <p class="soft">
        Badges show the last verdict of a plan to anyone who has their address. They are not public yet.
      </p>
      <ElButton v-if="mayChange" size="small" @click="publish(true)">Make badges public</ElButton>
    </template>
  </section>
</template>

<style scoped>
.choices {
  display: grid;
  grid-template-columns: 1fr 110px;
  gap: 8px;
  padding-bottom: 8px;
}
</style>
