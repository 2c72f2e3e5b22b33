// What trend is asked for, as the address says it, and the answer.
import { useQuery } from '@tanstack/vue-query'
import { computed, onScopeDispose, shallowRef, watch, type Ref } from 'vue'
import type { Trend } from '@jolt-gate/core/api'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../api/client.js'
import { countsIn, keyOf, type TrendRead } from './trend-picture.js'
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
  /** What the address leaves open is the plan and target of the latest run. */
  const { data: latest, isPending } = useQuery({
    queryKey: ['runs', project, 'latest'],
    queryFn: async () => (await api.runs(project.value)).runs.find(({ state }) => state === 'ended') ?? null,
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
    error,
    isFetching,
    refetch,
  } = useQuery({
    queryKey: ['trend', project, key],
    queryFn: () => api.trend(project.value, key.value),
    enabled: computed(() => key.value.plan !== '' && key.value.target !== ''),
    placeholderData: (before) => before,
  })
  const reads = useReads(trend, asked)
  const isLoading = computed(() => isPending.value || (isFetching.value && trend.value === undefined))
  return { asked, ask, choices, trend, reads, error, isLoading, refetch }
}

/** Changes and levels of what is shown, computed beside the page. */
function useReads(trend: Ref<Trend | undefined>, asked: Ref<TrendAsked>) {
  const reads = shallowRef<ReadonlyMap<string, TrendRead>>(new Map())
  const worker = new TrendWorker()
  let number = 0
  worker.onmessage = ({ data }: MessageEvent<FromTrendWorker>) => {
    if (data.number === number) reads.value = new Map(data.reads)
  }
  watch(
    [trend, () => asked.value.steps.join(BETWEEN)],
    () => {
      const { runs = [], series = [] } = trend.value ?? {}
      const shown = series.filter(({ kind, name }) => kind === 'gate' || asked.value.steps.includes(name))
      const message: ToTrendWorker = {
        number: ++number,
        counts: runs.map(countsIn),
        series: shown.map((one) => ({ key: keyOf(one), values: one.points.map((point) => point?.value ?? null) })),
      }
      worker.postMessage(message)
    },
    { immediate: true },
  )
  onScopeDispose(() => {
    worker.terminate()
  })
  return reads
}
