<script setup lang="ts">
// The runs of a project, newest first, each with a small picture of its load and response time.
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import {
  ElButton,
  ElMessage,
  ElPagination,
  ElPopconfirm,
  ElTable,
  ElTableColumn,
  ElTag,
  type TableInstance,
} from 'element-plus'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { formatMs } from '@jolt-gate/core'
import { RUN_ORDERS, RUN_VERDICTS, type RunFilter, type RunSummary } from '@jolt-gate/core/api'
import { api, wordsOf } from '../api/client.js'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import VerdictSign from '../verdict/VerdictSign.vue'
import { useMay } from '../stores/may.js'
import { ago, counted, grouped, lengthOf, percent } from '../text/figures.js'
import { MOST_COMPARED } from '../compare/compare-picture.js'
import RetentionDialog from './RetentionDialog.vue'
import RunFilters from './RunFilters.vue'
import RunSpark from './RunSpark.vue'
import { runWords } from '../text/run-words.js'

const route = useRoute()
const router = useRouter()
const now = useNow({ interval: 30_000 })
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
/** What is asked for, as the address says it. */
const filter = computed((): RunFilter => {
  const said = (key: string) => {
    const value = route.query[key]
    return typeof value === 'string' && value !== '' ? value : undefined
  }
  const page = Number(said('page') ?? 1)
  return {
    ...{ plan: said('plan'), target: said('target'), branch: said('branch'), search: said('search') },
    ...{ from: said('from'), to: said('to') },
    verdict: RUN_VERDICTS.find((one) => one === said('verdict')),
    sort: RUN_ORDERS.find((one) => one === said('sort')),
    direction: said('direction') === 'up' ? 'up' : undefined,
    page: page > 1 ? page : undefined,
  }
})
const isNarrowed = computed(() => Object.keys(route.query).length > 0)
function ask(next: RunFilter): void {
  void router.replace({
    query: Object.fromEntries(
      Object.entries(next).flatMap(([key, value]: [string, unknown]) =>
        typeof value === 'string' || typeof value === 'number' ? [[key, String(value)]] : [],
      ),
    ),
  })
}
const {
  data: state,
  isLoading,
  error,
  refetch,
} = useQuery({
  queryKey: ['runs', project, filter],
  queryFn: () => api.runs(project.value, filter.value),
  // The list stays while another page of it is read.
  placeholderData: (before) => before,
})

/** By a figure, over all pages; the order stands in the address. */
function sort({ prop, order }: { prop: string | null; order: string | null }): void {
  const by = RUN_ORDERS.find((one) => one === prop)
  const isUsual = order === null || by === undefined || (by === 'number' && order === 'descending')
  ask({
    ...filter.value,
    ...{ page: undefined, sort: isUsual ? undefined : by },
    direction: !isUsual && order === 'ascending' ? 'up' : undefined,
  })
}
const table = ref<TableInstance>()
const isKeeping = ref(false)
const chosen = ref<RunSummary[]>([])
async function remove(): Promise<void> {
  try {
    const { deleted } = await api.deleteRuns(
      project.value,
      chosen.value.map(({ id }) => id),
    )
    ElMessage.success(`Deleted ${counted(deleted, 'run')}.`)
    chosen.value = []
    await refetch()
  } catch (fault) {
    ElMessage.error(wordsOf(fault))
  }
}

const byNumber = (one: RunSummary, other: RunSummary) => one.number - other.number
/** The oldest of them is what the others are compared with. */
const compareTo = computed(() => ({
  name: 'compare',
  params: { project: project.value },
  query: {
    runs: chosen.value
      .toSorted(byNumber)
      .map(({ id }) => id)
      .join(','),
  },
}))
/** Runs that were made one side, to be compared with those that are selected next. */
const side = ref<RunSummary[]>([])
function makeSide(): void {
  side.value = chosen.value.toSorted(byNumber)
  table.value?.clearSelection()
}
const isSideSize = (count: number) => count > 1 && count <= MOST_COMPARED
const facing = computed(() =>
  chosen.value.filter(({ id }) => !side.value.some((run) => run.id === id)).toSorted(byNumber),
)
/** The side with the oldest run is the one that came before. */
const compareSidesTo = computed(() => {
  const oldest = (runs: readonly RunSummary[]) => runs[0]?.number ?? 0
  const sides = [side.value, facing.value].toSorted((one, other) => oldest(one) - oldest(other))
  const [before, after] = sides.map((runs) => runs.map(({ id }) => id).join(','))
  return { name: 'compare', params: { project: project.value }, query: { runs: before, with: after } }
})
const linkTo = (run: string) => ({ name: 'run', params: { project: project.value, run } })
</script>

<template>
  <div class="padded">
    <PageHead title="Runs">
      <RouterLink :to="{ name: 'trend', params: { project } }">Trend</RouterLink>
      <ElButton v-if="may.isAdministrator" link @click="isKeeping = true">How long runs are kept…</ElButton>
      <template #end>
        <span class="soft keys"
          ><i class="key load"></i> arrivals due <i class="key times"></i> p95 of each second</span
        >
      </template>
    </PageHead>
    <RetentionDialog v-if="may.isAdministrator" v-model="isKeeping" :project="project" />
    <RunFilters v-if="isNarrowed || (state?.total ?? 0) > 0" :project="project" :filter="filter" @change="ask" />
    <PageError v-if="error && !state" title="The runs could not be read" :detail="wordsOf(error)" @again="refetch()" />
    <p v-else-if="isLoading && !state" class="wait soft">Loading runs…</p>
    <p v-else-if="state && state.runs.length === 0 && isNarrowed" class="wait soft">
      No run fits. <ElButton link @click="ask({})">Show all runs</ElButton>
    </p>
    <div v-else-if="state && state.runs.length === 0" class="wait">
      <h2>No runs yet</h2>
      <p class="soft">
        Open a plan and run it. <RouterLink :to="{ name: 'plans', params: { project } }">Open plans</RouterLink>
      </p>
    </div>
    <div v-if="chosen.length > 0 || side.length > 0" class="chosen" role="toolbar" aria-label="Selected runs">
      <b>{{ counted(chosen.length, 'run') }} selected</b>
      <template v-if="side.length > 0">
        <RouterLink v-if="isSideSize(facing.length)" :to="compareSidesTo"
          >Compare with runs {{ side.map(({ number }) => number).join(', ') }}</RouterLink
        >
        <span v-else class="soft"
          >select two to five to compare with runs {{ side.map(({ number }) => number).join(', ') }}</span
        >
        <ElButton link @click="side = []">Cancel</ElButton>
      </template>
      <template v-else-if="isSideSize(chosen.length)">
        <RouterLink :to="compareTo">Compare {{ counted(chosen.length, 'run') }}</RouterLink>
        <ElButton link @click="makeSide()">Compare them with others…</ElButton>
      </template>
      <span v-else class="soft">{{
        chosen.length === 1 ? 'select another to compare' : `up to ${MOST_COMPARED} runs can be compared`
      }}</span>
      <ElPopconfirm
        v-if="may.isAdministrator"
        :title="`Delete ${counted(chosen.length, 'run')} with all that was recorded? This cannot be undone.`"
        confirm-button-text="Delete"
        width="280"
        @confirm="remove()"
      >
        <template #reference>
          <ElButton link type="danger">Delete {{ counted(chosen.length, 'run') }}…</ElButton>
        </template>
      </ElPopconfirm>
      <ElButton class="clear" link @click="table?.clearSelection()">Clear</ElButton>
    </div>
    <ElTable
      v-if="state && state.runs.length > 0"
      ref="table"
      class="list"
      :data="state.runs"
      row-key="id"
      size="small"
      :default-sort="{ prop: filter.sort ?? 'number', order: filter.direction === 'up' ? 'ascending' : 'descending' }"
      @sort-change="sort"
      @row-click="(run: RunSummary) => router.push(linkTo(run.id))"
      @selection-change="(next: RunSummary[]) => (chosen = next)"
    >
      <ElTableColumn type="selection" width="36" :selectable="(run: RunSummary) => run.state === 'ended'" />
      <ElTableColumn prop="number" label="run" width="68" align="right" sortable="custom" />
      <ElTableColumn label="verdict" width="150">
        <template #default="{ row }">
          <RouterLink class="verdict" :class="row.verdict ?? 'going'" :to="linkTo(row.id)" @click.stop>
            <VerdictSign :verdict="row.verdict ?? 'going'" />{{
              runWords({ verdict: row.verdict, state: row.state, part: row.part })
            }}
          </RouterLink>
          <div v-if="row.gates && row.gates.breached > 0" class="soft">
            {{ row.gates.breached }} of {{ row.gates.all }} gates
          </div>
        </template>
      </ElTableColumn>
      <ElTableColumn label="plan" min-width="150">
        <template #default="{ row }">
          {{ row.planName }}
          <div v-if="Object.keys(row.labels).length > 0" class="labels">
            <ElTag v-for="(value, name) in row.labels" :key="name" size="small" type="info" :title="`${name}=${value}`"
              >{{ name }}={{ value }}</ElTag
            >
          </div>
        </template>
      </ElTableColumn>
      <ElTableColumn prop="targetName" label="target" width="92" show-overflow-tooltip />
      <ElTableColumn label="load and p95" width="150">
        <template #default="{ row }"><RunSpark v-if="row.spark.due.length > 0" :spark="row.spark" /></template>
      </ElTableColumn>
      <ElTableColumn prop="p95" label="slowest p95" width="108" align="right" sortable="custom">
        <template #default="{ row }">{{ row.p95 === null ? '–' : formatMs(row.p95) }}</template>
      </ElTableColumn>
      <ElTableColumn prop="requests" label="requests" width="96" align="right" sortable="custom">
        <template #default="{ row }">{{ row.requests === null ? '–' : grouped(row.requests) }}</template>
      </ElTableColumn>
      <ElTableColumn prop="failedShare" label="failed %" width="90" align="right" sortable="custom">
        <template #default="{ row }">{{ row.failedShare === null ? '–' : percent(row.failedShare) }}</template>
      </ElTableColumn>
      <ElTableColumn prop="seconds" label="length" width="90" align="right" sortable="custom">
        <template #default="{ row }">{{ lengthOf(row.seconds) }}</template>
      </ElTableColumn>
      <ElTableColumn label="commit" width="118" show-overflow-tooltip>
        <template #default="{ row }">
          <code>{{ row.commit?.slice(0, 7) ?? '–' }}</code> <span class="soft">{{ row.branch }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="started" width="124" show-overflow-tooltip>
        <template #default="{ row }">
          <span class="soft">{{ ago(row.askedAt, now.getTime()) }}{{ row.startedBy ? `, ${row.startedBy}` : '' }}</span>
        </template>
      </ElTableColumn>
    </ElTable>
    <div v-if="state && state.runs.length > 0" class="foot">
      <span class="soft">{{ counted(state.total, 'run') }}</span>
      <ElPagination
        v-if="state.total > state.pageSize"
        layout="prev, pager, next"
        :total="state.total"
        :page-size="state.pageSize"
        :current-page="filter.page ?? 1"
        @current-change="(page: number) => ask({ ...filter, page })"
      />
    </div>
  </div>
</template>

<style scoped>
.keys {
  display: flex;
  gap: 6px;
  align-items: center;
}
.key {
  width: 14px;
  height: 2px;
  margin-left: 10px;
}
.key.load {
  background: var(--lake);
}
.key.times {
  background: var(--slate);
}
.verdict {
  display: flex;
  gap: 8px;
  align-items: center;
  font-weight: 650;
  text-decoration: none;
}
.open {
  color: var(--lake);
}
.shut {
  color: var(--brick);
}
.going {
  color: var(--ochre-text);
}
.chosen {
  position: sticky;
  top: 0;
  z-index: 5;
  display: flex;
  gap: 18px;
  align-items: center;
  margin-bottom: 6px;
  padding: 8px 12px;
  background: var(--lake-light);
}
.chosen .clear {
  margin-left: auto;
}
.labels {
  display: flex;
  flex-wrap: wrap;
  gap: 3px;
}
.labels .el-tag {
  justify-content: start;
  max-width: 100%;
}
.labels :deep(.el-tag__content) {
  overflow: hidden;
  text-overflow: ellipsis;
}
.list :deep(.el-table__row) {
  cursor: pointer;
}
.foot {
  display: flex;
  align-items: center;
  justify-content: space-between;
  padding: 10px 0;
}
.wait {
  padding: 24px 10px;
}
</style>
