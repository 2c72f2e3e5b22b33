// A run as its page hears of it: seconds, stops and states go to the worker and the page, once and in order.
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import type { RunDetail } from '@jolt-gate/core/api'
import { api, ApiError } from '../src/api/client.js'
import { runSource, useRun } from '../src/run/use-run.js'

/** What the page says to its workers, and whether they are still there. */
const workers: { said: Record<string, unknown>[]; isEnded: boolean }[] = []
vi.mock('../src/run/run.worker.js?worker', () => ({
  default: class {
    onmessage: unknown = null
    private readonly own = { said: [] as Record<string, unknown>[], isEnded: false }
    constructor() {
      workers.push(this.own)
    }
    postMessage(message: Record<string, unknown>): void {
      this.own.said.push(message)
    }
    terminate(): void {
      this.own.isEnded = true
    }
  },
}))

// Whole results have a test of their own.
vi.mock('../src/run/result-picture.js', () => ({ pictureOfResult: () => undefined }))

/** The streams that the page has opened; events are told by the test. */
const streams: FakeStream[] = []
class FakeStream {
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  isClosed = false
  private readonly heard = new Map<string, (event: { data: string }) => void>()
  constructor(readonly url: string) {
    streams.push(this)
  }
  addEventListener(kind: string, hear: (event: { data: string }) => void): void {
    this.heard.set(kind, hear)
  }
  tell(kind: string, data: unknown = {}): void {
    this.heard.get(kind)?.({ data: typeof data === 'string' ? data : JSON.stringify(data) })
  }
  close(): void {
    this.isClosed = true
  }
}

afterEach(() => {
  vi.restoreAllMocks()
  vi.unstubAllGlobals()
  workers.length = 0
  streams.length = 0
})

const detail = (over: object = {}) =>
  ({
    id: 'r1',
    state: 'running',
    part: 'load',
    plan: { name: 'A' },
    shape: {},
    result: null,
    baseline: null,
    ...over,
  }) as unknown as RunDetail
/** The state of a page that has opened a run. */
async function opened(...details: (RunDetail | Error)[]) {
  vi.stubGlobal('EventSource', FakeStream)
  const read = vi.spyOn(api, 'run')
  for (const one of details) {
    if (one instanceof Error) read.mockRejectedValueOnce(one)
    else read.mockResolvedValueOnce(one)
  }
  let state: ReturnType<typeof useRun> | undefined
  const page = mount(
    defineComponent(() => {
      state = useRun(ref(runSource('r1')))
      return () => h('i')
    }),
  )
  await state?.open()
  if (state === undefined) throw new Error('the page has no run')
  return { state, page, read }
}
const said = (kind: string) => (workers.at(-1)?.said ?? []).filter((message) => message['kind'] === kind)

describe('a run on its page', () => {
  it('begins with the plan and what it is held to, then takes each second and stop as it comes', async () => {
    const { state } = await opened(detail({ baseline: { id: 'r0' } }))
    expect(said('open')).toMatchObject([{ plan: { name: 'A' }, baseline: { id: 'r0' } }])
    expect(streams[0]?.url).toBe('/api/runs/r1/stream')

    streams[0]?.tell('bucket', '"QUJD"')
    streams[0]?.tell('stop rule', { kind: 'stop rule', gate: 1, atMs: 4000, value: null })
    streams[0]?.tell('phases', { kind: 'phases', seconds: [4, 2] })
    streams[0]?.tell('part', { kind: 'part', part: 'teardown' })

    expect(said('bucket')).toEqual([{ kind: 'bucket', data: 'QUJD' }])
    expect(said('event')).toEqual([
      { kind: 'event', event: { kind: 'stop rule', gate: 1, atMs: 4000, value: null } },
      { kind: 'event', event: { kind: 'phases', seconds: [4, 2] } },
    ])
    expect([state.state.value, state.part.value]).toEqual(['running', 'teardown'])
  })

  it('passes over what is no event of a run', async () => {
    const { state } = await opened(detail())

    for (const data of [
      '',
      'null',
      '[]',
      '{"kind":"stop rule"}',
      '{"kind":"stopped","atMs":"soon"}',
      '{"kind":"phases","seconds":[4,"2"]}',
    ])
      for (const kind of ['stop rule', 'stopped', 'phases']) streams[0]?.tell(kind, data)
    streams[0]?.tell('bucket', '{}')
    streams[0]?.tell('part', { part: 'dreaming' })

    expect([said('event'), said('bucket')]).toEqual([[], []])
    expect(state.part.value).toBe('load')
  })

  it('knows the stops and losses of a finished run before its seconds come', async () => {
    const gates = [{ stoppedAtMs: null }, { stoppedAtMs: 7000, observed: 12 }]
    const loss = {
      ...{ generator: 'south/mo1', why: 'it has left the fleet', place: 1, atMs: 3000 },
      ...{ arrivals: [4], left: [9], requests: 1, journeys: 1 },
    }
    await opened(detail({ state: 'ended', result: { gates, stoppedAtMs: 7000, generator: { losses: [loss] } } }))

    expect(said('event').map(({ event }) => event)).toEqual([
      { kind: 'stop rule', gate: 1, atMs: 7000, value: 12 },
      { kind: 'loss', loss },
      { kind: 'stopped', atMs: 7000 },
    ])
  })

  it('is read anew when it has ended, and its stream is closed', async () => {
    const { state, read } = await opened(detail(), detail({ state: 'ended', verdict: 'open' }))
    streams[0]?.onerror?.()
    expect(state.isConnected.value).toBe(false)

    streams[0]?.tell('end')
    await flushPromises()

    expect(read).toHaveBeenCalledTimes(2)
    expect([state.state.value, state.run.value?.verdict]).toEqual(['ended', 'open'])
    expect([state.isConnected.value, streams[0]?.isClosed]).toEqual([true, true])
    expect(said('event').at(-1)).toEqual({ kind: 'event', event: { kind: 'end' } })
  })

  it('that waited is judged anew from its first second when it begins with a baseline', async () => {
    const begun = detail({ part: 'setup', baseline: { id: 'r0' } })
    const { state } = await opened(detail({ state: 'queued', part: null }), begun, begun)
    state.select({ fromSecond: 2, toSecond: 5 })

    streams[0]?.tell('part', { part: 'setup' })
    await flushPromises()

    expect(workers.map(({ isEnded }) => isEnded)).toEqual([true, false])
    expect(said('open')).toMatchObject([{ baseline: { id: 'r0' } }])
    // The range that the person has selected is that of the new worker, too.
    expect(said('select')).toEqual([{ kind: 'select', range: { fromSecond: 2, toSecond: 5 } }])
    expect(streams.map(({ isClosed }) => isClosed)).toEqual([true, false])
  })

  it('says why it cannot be shown, and leaves nothing behind', async () => {
    const problem = { type: 'about:blank', title: 'Not found', status: 404, code: 'NO_RUN', detail: 'no run r1' }
    const { state } = await opened(new ApiError(problem))
    expect(state.fault.value).toBe('no run r1')
    expect(streams).toEqual([])

    const { page } = await opened(detail())
    page.unmount()
    expect([workers.at(-1)?.isEnded, streams.at(-1)?.isClosed]).toEqual([true, true])
  })
})
