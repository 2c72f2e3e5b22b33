<script setup lang="ts">
// What goes out to others and what they tell us: webhooks with their deliveries, pushes, badges; and the budget.
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import { useMay } from '../stores/may.js'
import BadgePanel from './BadgePanel.vue'
import BudgetPanel from './BudgetPanel.vue'
import DeliveryTable from './DeliveryTable.vue'
import PushSources from './PushSources.vue'
import RunnerKeys from './RunnerKeys.vue'
import WebhookTable from './WebhookTable.vue'

const route = useRoute()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const { data, error, refetch } = useQuery({
  queryKey: ['webhooks', project],
  queryFn: () => api.webhooks(project.value),
  enabled: () => may.isAdministrator,
})
const { data: sent, refetch: sentAgain } = useQuery({
  queryKey: ['deliveries', project],
  queryFn: () => api.deliveries(project.value),
  enabled: () => may.isAdministrator,
})
const readAnew = () => Promise.all([refetch(), sentAgain()])
</script>

<template>
  <div class="padded">
    <PageHead title="Integrations">
      <RouterLink :to="{ name: 'pipelines', params: { project } }">Pipelines</RouterLink>
    </PageHead>
    <div class="desk">
      <div v-if="may.isAdministrator" class="main">
        <PageError v-if="error" title="The webhooks could not be read" :detail="wordsOf(error)" @again="refetch()" />
        <template v-else>
          <WebhookTable :project="project" :webhooks="data?.webhooks ?? []" @changed="readAnew()" />
          <DeliveryTable
            :project="project"
            :deliveries="sent?.deliveries ?? []"
            :now="now.getTime()"
            @changed="readAnew()"
          />
        </template>
      </div>
      <p v-else class="soft main">Administrators set up webhooks and pushes from elsewhere.</p>
      <aside>
        <PushSources
          v-if="may.isAdministrator"
          :project="project"
          :sources="data?.sources ?? []"
          :now="now.getTime()"
          @changed="readAnew()"
        />
        <RunnerKeys v-if="may.isAdministrator" :project="project" :now="now.getTime()" />
        <BadgePanel :project="project" :may-change="may.isAdministrator" />
        <BudgetPanel :project="project" :may-change="may.isAdministrator" />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  gap: 24px;
}
.main {
  display: grid;
  gap: 20px;
  align-content: start;
}
aside {
  display: grid;
  gap: 20px;
  align-content: start;
}
@media (width < 1200px) {
  .desk {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
