// One run, live or finished: what the server knows of it, and what its seconds say.
import { onBeforeUnmount, ref, shallowRef, type Ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { RunDetail, RunState } from '../api/types.js'
import type { RunView, TimeRange, ToRunWorker } from './run.worker.js'
import RunWorker from './run.worker.js?worker'

export function useRun(id: Ref<string>) {
  const run = shallowRef<RunDetail>()
  const view = shallowRef<RunView>()
  const state = ref<RunState>('waiting')
  const fault = ref('')
  const isConnected = ref(true)
  let worker: Worker | undefined
  let source: EventSource | undefined

  function say(message: ToRunWorker): void {
    worker?.postMessage(message)
  }

  function close(): void {
    source?.close()
    worker?.terminate()
  }
  onBeforeUnmount(close)

  async function open(): Promise<void> {
    close()
    fault.value = ''
    view.value = undefined
    try {
      const detail = await api.run(id.value)
      run.value = detail
      state.value = detail.state
      worker = new RunWorker()
      worker.onmessage = ({ data }: MessageEvent<RunView>) => {
        view.value = data
      }
      say({ kind: 'open', plan: detail.plan, shape: detail.shape })
      listen()
    } catch (error) {
      fault.value = wordsOf(error)
    }
  }

  /** The browser connects again by itself, and goes on after the last second it heard. */
  function listen(): void {
    const stream = new EventSource(`/api/runs/${id.value}/stream`)
    source = stream
    stream.onopen = () => (isConnected.value = true)
    stream.onerror = () => (isConnected.value = false)
    stream.addEventListener('bucket', ({ data }: MessageEvent<string>) => {
      say({ kind: 'bucket', data })
    })
    stream.addEventListener('state', ({ data }: MessageEvent<RunState>) => {
      state.value = data
    })
    stream.addEventListener('end', () => {
      stream.close()
      isConnected.value = true
      void refresh()
    })
  }

  async function refresh(): Promise<void> {
    const detail = await api.run(id.value)
    run.value = detail
    state.value = detail.state
  }

  function mark(range: TimeRange | null): void {
    say({ kind: 'mark', range })
  }

  async function stop(): Promise<void> {
    await api.stopRun(id.value).catch((error: unknown) => (fault.value = wordsOf(error)))
  }

  return { run, view, state, fault, isConnected, open, mark, stop }
}
