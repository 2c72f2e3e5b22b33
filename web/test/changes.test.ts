// What a page hears of the server: that it is away, that it is back, and nothing more once nobody is signed in.
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h, type Ref } from 'vue'
import { api } from '../src/api/client.js'
import { useChanges } from '../src/frame/use-changes.js'

let streams: FakeStream[] = []
class FakeStream extends EventTarget {
  static readonly CLOSED = 2
  readyState = 0
  constructor() {
    super()
    streams.push(this)
  }
  close(): void {
    this.readyState = FakeStream.CLOSED
  }
  tell(event: string, readyState: number): void {
    this.readyState = readyState
    this.dispatchEvent(new Event(event))
  }
}
const REFUSED = new Error('refused')

beforeEach(() => {
  streams = []
  vi.useFakeTimers()
  vi.stubGlobal('EventSource', FakeStream)
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.restoreAllMocks()
})

function heard() {
  const client = new QueryClient()
  const read = vi.spyOn(client, 'invalidateQueries').mockResolvedValue()
  const made: Ref<boolean>[] = []
  const setup = () => {
    made.push(useChanges())
    return () => h('p')
  }
  const page = mount(defineComponent({ setup }), { global: { plugins: [[VueQueryPlugin, { queryClient: client }]] } })
  return { isAway: () => made[0]?.value, read, page }
}

describe('the connection to the server', () => {
  it('is said to be away while the browser tries it again, and all is read anew when it is back', () => {
    const { isAway, read } = heard()
    streams[0]?.tell('open', 1)
    streams[0]?.tell('error', 0)
    expect(isAway()).toBe(true)
    streams[0]?.tell('open', 1)
    expect([isAway(), read.mock.calls.length]).toEqual([false, 2])
  })

  it('is opened again where it was closed: by a proxy before a server that is away, or by too many streams', async () => {
    const session = vi.spyOn(api, 'session').mockRejectedValueOnce(REFUSED)
    const { isAway } = heard()
    streams[0]?.tell('error', 2)
    await flushPromises()
    expect(isAway()).toBe(true)
    await vi.advanceTimersByTimeAsync(3000)
    expect(streams).toHaveLength(2)

    session.mockResolvedValueOnce({ kind: 'nobody', demo: true, setup: false } as never)
    streams[1]?.tell('error', 2)
    await flushPromises()
    await vi.advanceTimersByTimeAsync(60_000)
    expect([isAway(), streams.length]).toEqual([false, 2])
  })

  it('is left alone once its page is gone', async () => {
    vi.spyOn(api, 'session').mockRejectedValue(REFUSED)
    const { page } = heard()
    streams[0]?.tell('error', 2)
    page.unmount()
    await flushPromises()
    await vi.advanceTimersByTimeAsync(60_000)
    expect(streams).toHaveLength(1)
  })
})
