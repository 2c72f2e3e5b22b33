// One run, live or finished: what the server knows of it, and what its seconds say.
import type { SeriesOf, TimeRange, TimesOf } from '@jolt-gate/core'
import { onBeforeUnmount, ref, shallowRef, type Ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { RunDetail, RunPart, RunState } from '@jolt-gate/core/api'
import type { RunPicture, ToldPicture, ToRunWorker } from './run.worker.js'
import { pictureOfResult } from './result-picture.js'
import { openRunStream } from './run-stream.js'
import RunWorker from './run.worker.js?worker'

/** Where a run is read from: by its number for the one who is signed in, or by the token of a shared link. */
export interface RunSource {
  read: () => Promise<RunDetail>
  stream: string
}
export const runSource = (id: string): RunSource => ({ read: () => api.run(id), stream: `/api/runs/${id}/stream` })
export const sharedSource = (token: string): RunSource => ({
  read: () => api.sharedRun(token),
  stream: `/api/shared/${encodeURIComponent(token)}/stream`,
})

// eslint-disable-next-line max-lines-per-function -- its parts share what they keep
export function useRun(source: Ref<RunSource>) {
  const run = shallowRef<RunDetail>()
  const view = shallowRef<RunPicture>()
  /** The same for the lanes: it stays as long as they do, since drawing an hour takes a while. */
  const laneView = shallowRef<RunPicture>()
  const state = ref<RunState>('queued')
  const part = ref<RunPart | null>(null)
  const fault = ref('')
  const isConnected = ref(true)
  let worker: Worker | undefined
  let events: EventSource | undefined
  let heldTo: string | undefined
  /** What the page asks for, also of a worker that takes the place of another. */
  const asked: { range: TimeRange | null; times: TimesOf | null; series: readonly SeriesOf[] } = {
    range: null,
    times: null,
    series: [],
  }

  function say(message: ToRunWorker): void {
    worker?.postMessage(message)
  }

  function close(): void {
    events?.close()
    worker?.terminate()
  }
  onBeforeUnmount(close)

  async function open(): Promise<void> {
    close()
    fault.value = ''
    view.value = laneView.value = undefined
    try {
      const detail = await source.value.read()
      run.value = detail
      state.value = detail.state
      part.value = detail.part
      worker = new RunWorker()
      worker.onmessage = ({ data: { whole, own, ...part } }: MessageEvent<ToldPicture>) => {
        const known = view.value
        if (whole !== null) view.value = { ...whole, ...part, own: own ?? known?.own ?? {} }
        else if (known !== undefined) view.value = { ...known, ...part, own: own ?? known.own }
        if (whole !== null || own !== null) laneView.value = view.value
      }
      heldTo = detail.baseline?.id
      say({
        kind: 'open',
        ...{ plan: detail.plan, shape: detail.shape, baseline: detail.baseline },
        hasResult: detail.state === 'ended' && detail.result !== null,
        isExplained: detail.state === 'ended' && detail.result?.findings !== undefined,
      })
      // A long run is seen at once: its seconds are read behind it.
      if (detail.state === 'ended' && detail.result !== null) {
        view.value = laneView.value = pictureOfResult(detail, detail.result)
      }
      say({ kind: 'select', range: asked.range })
      say({ kind: 'times', of: asked.times })
      say({ kind: 'series', of: asked.series })
      for (const [gate, { stoppedAtMs, observed }] of (detail.result?.gates ?? []).entries())
        if (stoppedAtMs !== null)
          say({ kind: 'event', event: { kind: 'stop rule', gate, atMs: stoppedAtMs, value: observed } })
      for (const loss of detail.result?.generator.losses ?? []) say({ kind: 'event', event: { kind: 'loss', loss } })
      const stoppedAtMs = detail.result?.stoppedAtMs ?? null
      if (stoppedAtMs !== null) say({ kind: 'event', event: { kind: 'stopped', atMs: stoppedAtMs } })
      listen()
    } catch (error) {
      fault.value = wordsOf(error)
    }
  }

  function listen(): void {
    events = openRunStream(source.value.stream, {
      onConnected: (is) => (isConnected.value = is),
      onBucket: (data) => {
        say({ kind: 'bucket', data })
      },
      onEvent: (event) => {
        say({ kind: 'event', event })
      },
      onPart: (next) => {
        state.value = 'running'
        part.value = next
        if (next === 'setup') void refresh()
      },
      onChanged: () => void refresh(),
    })
  }

  async function refresh(): Promise<void> {
    try {
      const detail = await source.value.read()
      run.value = detail
      state.value = detail.state
      part.value = detail.part
      // What its gates are held to is known from when it begins: its seconds are read anew.
      if (detail.baseline?.id !== heldTo) await open()
    } catch (error) {
      fault.value = wordsOf(error)
    }
  }

  function select(range: TimeRange | null): void {
    asked.range = range
    say({ kind: 'select', range })
  }

  function showTimes(of: TimesOf | null): void {
    asked.times = of
    say({ kind: 'times', of })
  }

  function showSeries(of: readonly SeriesOf[]): void {
    asked.series = of
    say({ kind: 'series', of })
  }

  async function stop(): Promise<void> {
    await api.stopRun(run.value?.id ?? '').catch((error: unknown) => (fault.value = wordsOf(error)))
  }

  return { run, view, laneView, state, part, fault, isConnected, open, select, showTimes, showSeries, stop, refresh }
}
