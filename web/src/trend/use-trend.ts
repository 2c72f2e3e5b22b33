// What trend is asked for, as the address says it, and the answer.
import { useQuery } from '@tanstack/vue-query'
import type { TrendRead } from '@jolt-gate/core'
import { computed, onScopeDispose, shallowRef, watch, type Ref } from 'vue'
import type { RunSummary, TrendRun, TrendSeries } from '@jolt-gate/core/api'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../api/client.js'
import { countsIn, keyOf } from './trend-picture.js'
import TrendWorker from './trend.worker.js?worker'
import type { FromTrendWorker, ToTrendWorker } from './trend.worker.js'

export const LAST = [26, 50, 100, 200] as const

export interface TrendAsked {
  plan: string
  target: string
  branch: string
  last: number
  /** Names of the steps that are shown beside the gates. */
  steps: string[]
}

/** Several names in one part of the address. */
const BETWEEN = '\n'

export function useTrend(project: Ref<number>) {
  const route = useRoute()
  const router = useRouter()
  const { data: choices } = useQuery({
    queryKey: ['run choices', project],
    queryFn: () => api.runChoices(project.value),
  })
  /** What the address leaves open is the plan and target that were run most often lately. */
  const {
    data: latest,
    isPending,
    error: fault,
  } = useQuery({
    queryKey: ['runs', project, 'latest'],
    queryFn: async () => mostRun((await api.runs(project.value)).runs.filter(({ state }) => state === 'ended')),
  })
  const said = (key: string) => {
    const value = route.query[key]
    return typeof value === 'string' ? value : ''
  }
  const asked = computed((): TrendAsked => ({
    plan: said('plan') || (latest.value?.planFile ?? ''),
    target: said('target') || (latest.value?.targetName ?? ''),
    branch: said('branch'),
    last: LAST.find((one) => one === Number(said('last'))) ?? LAST[0],
    steps: said('steps').split(BETWEEN).filter(Boolean),
  }))
  function ask(some: Partial<TrendAsked>): void {
    const { plan, target, branch, last, steps } = { ...asked.value, ...some }
    const query = { plan, target, branch, last: String(last), steps: steps.join(BETWEEN) }
    void router.replace({ query: Object.fromEntries(Object.entries(query).filter(([, value]) => value !== '')) })
  }
  const key = computed(() => {
    const { plan, target, branch, last } = asked.value
    return { plan, target, last, ...(branch === '' ? {} : { branch }) }
  })
  const {
    data: trend,
    error: trendFault,
    isFetching,
    refetch,
  } = useQuery({
    queryKey: ['trend', project, key],
    queryFn: () => api.trend(project.value, key.value),
    enabled: computed(() => key.value.plan !== '' && key.value.target !== ''),
    placeholderData: (before) => before,
  })
  /** The gates, and the steps that were asked for. */
  const shown = computed(() =>
    (trend.value?.series ?? []).filter(({ kind, name }) => kind === 'gate' || asked.value.steps.includes(name)),
  )
  const runs = computed(() => trend.value?.runs ?? [])
  const { reads, isRead } = useReads(runs, shown)
  const error = computed(() => trendFault.value ?? fault.value)
  const isLoading = computed(() => isPending.value || (isFetching.value && trend.value === undefined))
  return { asked, ask, choices, trend, runs, shown, reads, isRead, error, isLoading, refetch }
}

/** Changes and levels of what is shown, computed beside the page. */
function useReads(runs: Ref<TrendRun[]>, shown: Ref<TrendSeries[]>) {
  const reads = shallowRef<ReadonlyMap<string, TrendRead>>(new Map())
  const worker = new TrendWorker()
  let number = 0
  let readRuns = ''
  worker.onmessage = ({ data }: MessageEvent<FromTrendWorker>) => {
    if (data.number === number) reads.value = new Map(data.reads)
  }
  watch(
    [runs, shown],
    () => {
      // Places are among the runs that were read: those of others would mark wrong ones.
      const ids = runs.value.map(({ id }) => id).join()
      if (ids !== readRuns) reads.value = new Map()
      readRuns = ids
      const message: ToTrendWorker = {
        number: ++number,
        counts: runs.value.map(countsIn),
        series: shown.value.map((one) => ({
          key: keyOf(one),
          values: one.points.map((point) => point?.value ?? null),
        })),
      }
      worker.postMessage(message)
    },
    { immediate: true },
  )
  onScopeDispose(() => {
    worker.terminate()
  })
  /** Whether what is shown has been read: without an answer there is nothing to say of it. */
  const isRead = computed(() => shown.value.every((one) => reads.value.has(keyOf(one))))
  return { reads, isRead }
}

/** A run of the plan and target of which there are most; the newest of them. */
function mostRun(runs: readonly RunSummary[]): RunSummary | null {
  const counts = new Map<string, number>()
  const subjectOf = ({ planFile, targetName }: RunSummary) => JSON.stringify([planFile, targetName])
  for (const run of runs) counts.set(subjectOf(run), (counts.get(subjectOf(run)) ?? 0) + 1)
  return (
    runs.toSorted((one, other) => (counts.get(subjectOf(other)) ?? 0) - (counts.get(subjectOf(one)) ?? 0))[0] ?? null
  )
}
