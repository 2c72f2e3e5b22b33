<script setup lang="ts">
// Branches on their way into the default branch: what they change, who has approved them, and the merge.
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import type { MergeLine } from '@jolt-gate/core/api'
import { ElButton, ElSwitch, ElTable, ElTableColumn } from 'element-plus'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import { useMay } from '../stores/may.js'
import { ago, counted } from '../text/figures.js'
import MergeChanges from './MergeChanges.vue'

const route = useRoute()
const queries = useQueryClient()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const { data, error, isLoading, refetch } = useQuery({
  queryKey: ['merges', project],
  queryFn: () => api.merges(project.value),
})
const PROTECTED =
  'Plans, targets and pipelines come to this branch by merges alone, each approved by somebody who wrote, pushed and ' +
  'saved nothing of it.'
const OPEN =
  'Whoever may write changes this branch at once. Protected, it goes on only by merges that somebody else has approved.'
const fault = ref('')
const busy = ref('')

async function act(what: string, work: () => Promise<unknown>): Promise<void> {
  ;[fault.value, busy.value] = ['', what]
  try {
    await work()
    // A merge changes the plans of the default branch, too.
    await queries.invalidateQueries()
  } catch (refusal) {
    fault.value = wordsOf(refusal)
    await refetch()
  }
  busy.value = ''
}
const lineOf = (branch: string): MergeLine | undefined => data.value?.merges.find((one) => one.branch === branch)
/** Where it stood when it was looked at: what came since is not meant. */
const seenOf = (branch: string) => ({ branch, commit: lineOf(branch)?.commit ?? '' })
const approve = (branch: string) => act(`approve ${branch}`, () => api.approveMerge(project.value, seenOf(branch)))
const merge = (branch: string) => act(`merge ${branch}`, () => api.merge(project.value, seenOf(branch)))
const protect = (isProtected: boolean) => act('protect', () => api.protect(project.value, isProtected))

function hasApproved(branch: string): boolean {
  const line = lineOf(branch)
  return line?.whyNoApproval === null && line.approvals.some(({ why }) => why === null)
}
/** Why a branch cannot be merged now; empty where it can. */
function held(branch: string): string {
  const line = lineOf(branch)
  if (line?.isInConflict === true)
    return `in conflict: merge ${data.value?.defaultBranch ?? 'the default branch'} into it first`
  return line?.mayGoOn === true ? '' : 'waits for the approval of somebody who has no hand in it'
}
</script>

<template>
  <div class="padded">
    <PageHead title="Merges">
      <span class="soft">
        into <b>{{ data?.defaultBranch ?? 'the default branch' }}</b>
      </span>
      <RouterLink :to="{ name: 'plans', params: { project } }">Plans</RouterLink>
      <template #end>
        <ElSwitch
          v-if="data"
          :model-value="data.isProtected"
          :disabled="!may.isAdministrator"
          :loading="busy === 'protect'"
          inline-prompt
          aria-label="Protected"
          @update:model-value="(value: string | number | boolean) => protect(value === true)"
        />
        <span v-if="data">{{ data.isProtected ? 'protected' : 'not protected' }}</span>
      </template>
    </PageHead>
    <p v-if="data" class="soft words">
      {{ data.isProtected ? PROTECTED : OPEN }}
    </p>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <PageError
      v-if="error && !data"
      title="The branches could not be read"
      :detail="wordsOf(error)"
      @again="refetch()"
    />
    <p v-else-if="isLoading && !data" class="soft">Loading branches…</p>
    <ElTable
      v-else-if="data"
      :data="data.merges"
      row-key="branch"
      :empty-text="`No branch has anything that ${data.defaultBranch ?? 'the default branch'} has not.`"
    >
      <ElTableColumn type="expand" width="36">
        <template #default="{ row }"
          ><MergeChanges :project="project" :branch="row.branch" :commit="row.commit"
        /></template>
      </ElTableColumn>
      <ElTableColumn label="branch" min-width="230">
        <template #default="{ row }">
          <b>{{ row.branch }}</b> <code class="soft">{{ row.commit.slice(0, 7) }}</code>
          <span class="line soft">{{ row.message }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="last change" width="150">
        <template #default="{ row }">
          {{ row.who
          }}<span class="line soft">{{ ago(row.at, now.getTime()) }}, {{ counted(row.commits, 'commit') }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="files" min-width="190">
        <template #default="{ row }">
          <code v-for="file in row.files.slice(0, 2)" :key="file" class="line file">{{ file }}</code>
          <span v-if="row.fileCount > 2" class="line soft">and {{ row.fileCount - 2 }} more</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="approved by" min-width="180">
        <template #default="{ row }">
          <span v-for="one in row.approvals" :key="one.at" class="line">
            {{ one.by }}, {{ ago(one.at, now.getTime()) }}
            <span v-if="one.why" class="soft">(does not count: {{ one.why }})</span>
          </span>
          <span v-if="row.approvals.length === 0" class="soft">nobody yet</span>
        </template>
      </ElTableColumn>
      <ElTableColumn v-if="may.mayWrite" width="210" align="right">
        <template #default="{ row }">
          <ElButton
            v-if="!hasApproved(row.branch)"
            size="small"
            :disabled="row.whyNoApproval !== null"
            :title="row.whyNoApproval ?? ''"
            :loading="busy === `approve ${row.branch}`"
            :aria-label="`Approve ${row.branch}`"
            @click="approve(row.branch)"
            >Approve</ElButton
          >
          <ElButton
            size="small"
            type="primary"
            :disabled="held(row.branch) !== ''"
            :loading="busy === `merge ${row.branch}`"
            :aria-label="`Merge ${row.branch}`"
            @click="merge(row.branch)"
            >Merge</ElButton
          >
          <span v-if="held(row.branch)" class="line soft why">{{ held(row.branch) }}</span>
        </template>
      </ElTableColumn>
    </ElTable>
  </div>
</template>

<style scoped>
.words {
  max-width: 90ch;
  padding-bottom: 12px;
}
.line {
  display: block;
}
.file {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.why {
  padding-top: 3px;
  line-height: 1.3;
  word-break: normal;
}
</style>
