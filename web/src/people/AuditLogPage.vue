<script setup lang="ts">
// The audit log: who did what, newest first, for administrators.
import { ElButton, ElInput, ElLoadingDirective as vLoading, ElTable, ElTableColumn } from 'element-plus'
import { watchDebounced } from '@vueuse/core'
import type { AuditEvent } from '@jolt-gate/core/api'
import { onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import { grouped } from '../text/figures.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import PeopleTabs from './PeopleTabs.vue'

const TYPED_MS = 250
const route = useRoute()
const router = useRouter()
const events = ref<AuditEvent[]>([])
const hasMore = ref(false)
const isBusy = ref(false)
const fault = ref('')
const search = ref(typeof route.query['search'] === 'string' ? route.query['search'] : '')
/** What came of looking whether the log is whole. */
const checked = ref('')
const isChecking = ref(false)
async function check(): Promise<void> {
  isChecking.value = true
  try {
    const { entries, brokenAt, head } = await api.checkAuditLog()
    checked.value =
      brokenAt === null
        ? `${grouped(entries)} of ${grouped(entries)} entries are as they were written. Hash of the last: ${head}`
        : `Entry ${String(brokenAt)} is not what was written there, or one before it is gone.`
  } catch (error) {
    checked.value = wordsOf(error)
  }
  isChecking.value = false
}
const moment = (instant: string) => instant.slice(0, 19).replace('T', ' ')

/** Reads from the newest on, or what was before the last that is shown. */
async function load(continues: boolean): Promise<void> {
  isBusy.value = true
  try {
    const last = continues ? events.value.at(-1)?.id : undefined
    const found = await api.auditLog({
      search: search.value === '' ? undefined : search.value,
      before: last,
    })
    events.value = continues ? [...events.value, ...found.events] : found.events
    hasMore.value = found.hasMore
    fault.value = ''
  } catch (error) {
    fault.value = wordsOf(error)
  }
  isBusy.value = false
}
watchDebounced(
  search,
  () => {
    void router.replace({ query: search.value === '' ? {} : { search: search.value } })
    void load(false)
  },
  { debounce: TYPED_MS },
)
onMounted(() => load(false))
</script>

<template>
  <div class="audit padded">
    <PeopleTabs />
    <PageHead title="Audit log">
      <template #end>
        <ElButton :loading="isChecking" @click="check()">Check it is whole</ElButton>
        <ElInput v-model="search" class="search" clearable aria-label="Search the audit log" placeholder="Search" />
      </template>
    </PageHead>
    <p class="soft">Who did what, newest first (UTC). Entries are never removed.</p>
    <p v-if="checked" class="checked" role="status">{{ checked }}</p>
    <PageError v-if="fault" title="The audit log could not be read" :detail="fault" @again="load(false)" />
    <ElTable
      v-loading="isBusy"
      :data="events"
      size="small"
      :empty-text="search === '' ? 'Nothing yet' : 'Nothing found'"
    >
      <ElTableColumn label="when" width="150">
        <template #default="{ row }">{{ moment(row.at) }}</template>
      </ElTableColumn>
      <ElTableColumn prop="who" label="who" width="200" show-overflow-tooltip />
      <ElTableColumn prop="event" label="what" width="240" />
      <ElTableColumn prop="detail" label="details" min-width="240" show-overflow-tooltip />
    </ElTable>
    <ElButton v-if="hasMore" class="more" :loading="isBusy" @click="load(true)">Show earlier entries</ElButton>
  </div>
</template>

<style scoped>
.audit > p {
  padding-bottom: 10px;
}
.checked {
  overflow-wrap: anywhere;
}
.search {
  width: 280px;
}
.more {
  margin-top: 12px;
}
</style>
