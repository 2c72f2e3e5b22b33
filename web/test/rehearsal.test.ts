// A rehearsal as it is watched: steps as they come, where it opens, and what has changed since the one before.
import { flushPromises, mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import type { RehearsedStep } from '@jolt-gate/core'
import { api, ApiError } from '../src/api/client.js'
import { draftKey } from '../src/plan/use-plan.js'
import ExchangeView from '../src/rehearsal/ExchangeView.vue'
import RehearsalPage from '../src/rehearsal/RehearsalPage.vue'
import { button, pageAround, press, wordsIn } from './page.js'

// The plan is read beside the page: not here.
vi.mock('../src/plan/plan.worker.js?worker', () => ({
  default: class {
    onmessage: unknown = null
    postMessage(): void {
      // Nothing is read.
    }
    terminate(): void {
      // There is nothing to end.
    }
  },
}))

const { router, options, signIn } = pageAround()
const FILE = 'plans/a.gate.yaml'

const step = (name: string, over: Partial<RehearsedStep> = {}): RehearsedStep => ({
  stage: 'look',
  step: name,
  request: { method: 'GET', url: `http://127.0.0.1:1/${name}`, headers: [['accept', '*/*']], body: null },
  hops: [],
  response: { status: 200, headers: [['content-type', 'application/json']], body: '{"a":1}', size: 7 },
  checks: [],
  kept: [],
  failure: null,
  trace: null,
  timing: { dns: null, connect: 2, tls: null, firstByte: 5, receive: 3, total: 10 },
  ...over,
})
const failed = (name: string) => step(name, { failure: { kind: 'check', detail: 'status: 200, found 503' } })

interface Played {
  steps: readonly RehearsedStep[]
  before?: readonly RehearsedStep[]
  role?: 'author' | 'reader'
  /** Whether it comes to its end. */
  isWhole?: boolean
  /** Whether it was asked for, and not read again. */
  isAsked?: boolean
}
/** The page with a rehearsal that tells its steps at once. */
async function page({ steps, before = [], role = 'author', isWhole = true, isAsked = true }: Played) {
  signIn(role)
  vi.spyOn(api, 'plan').mockResolvedValue({
    ...{ file: FILE, text: 'jolt: 1\nname: A\n', committed: 'jolt: 1\nname: A\n', base: 'b', files: {}, dirty: false },
    ...{ commit: 'c', branch: 'main', history: { journeyMs: {}, observed: {}, held: [] } },
  })
  vi.spyOn(api, 'targets').mockResolvedValue({ targets: [], commit: 'c', branch: 'main', dirty: false })
  vi.spyOn(api, 'rehearsals').mockResolvedValue({
    rehearsals:
      before.length === 0
        ? []
        : [
            {
              id: 'r0',
              at: '2026-11-26T12:00:00Z',
              passed: true,
              canResume: true,
              rehearsal: { plan: 'A', target: 'x', passed: true, steps: [...before], journeys: [] },
            },
          ],
  })
  const asked = vi.spyOn(api, 'rehearse').mockImplementation(async (_project, _asked, tell, signal) => {
    tell({ kind: 'begin', id: 'r1' })
    for (const one of steps) tell({ kind: 'step', step: one })
    if (isWhole) tell({ kind: 'end', id: 'r1', passed: steps.every(({ failure }) => failure === null) })
    else
      await new Promise<void>((_resolve, reject) => signal.addEventListener('abort', () => reject(new Error('left'))))
  })
  await router.push({
    name: 'rehearsal',
    params: { project: 4 },
    query: { file: FILE, ...(isAsked ? { go: '1' } : {}) },
  })
  const wrapper = mount(RehearsalPage, options)
  await flushPromises()
  return { asked, wrapper }
}
const rows = () => [...document.querySelectorAll('.step')].map(wordsIn)
const here = () => document.querySelector('.step.here .name')?.textContent
const outcome = () => document.querySelector('[role=status]')?.textContent.trim()

describe('a rehearsal', () => {
  it('opens on the first step that failed, and counts what did', async () => {
    await page({ steps: [step('search'), failed('show'), failed('book')] })

    expect(here()).toBe('show')
    expect(outcome()).toBe('Failed: 2 of 3 steps')
    expect(document.querySelector('[role=alert]')?.textContent).toContain('status: 200, found 503')
  })

  it('is read with the arrow keys, from end to end', async () => {
    const { wrapper } = await page({ steps: [step('search'), step('show'), step('book')] })
    const list = wrapper.find('.steps')

    expect(outcome()).toMatch(/^Passed: 3 steps in 30 ms$/)
    for (const key of ['ArrowDown', 'ArrowDown', 'ArrowDown']) await list.trigger('keydown', { key })
    expect(here()).toBe('book')
    await list.trigger('keydown', { key: 'ArrowUp' })
    expect(here()).toBe('show')
  })

  it('says of each step how it differs from the rehearsal before', async () => {
    const gone = step('gone', { response: { status: 404, headers: [], body: '', size: 0 } })
    await page({
      steps: [step('search'), failed('show'), step('book'), gone],
      before: [step('search'), step('show'), failed('book'), step('gone')],
    })

    expect(rows()).toEqual([
      '1 search 200 10 ms',
      '2 show passed before 200 10 ms',
      '3 book passes now 200 10 ms',
      '4 gone was 200 404 10 ms',
    ])
  })

  it('goes again from a step, with those before it as they were', async () => {
    const { asked } = await page({ steps: [step('search'), failed('show')] })
    await press('From here on')

    expect(asked.mock.calls[1]?.[1]).toMatchObject({ plan: FILE, again: { rehearsal: 'r1', step: '1' } })
    expect(rows()).toHaveLength(3)
  })

  it('goes again for one step, with all others as they were', async () => {
    const { asked } = await page({ steps: [step('search')], before: [step('search'), failed('show')], isAsked: false })
    await press('Rehearse this step again')

    expect(asked.mock.calls[0]?.[1]).toMatchObject({ again: { rehearsal: 'r0', step: '1', only: true } })
    expect(rows()).toHaveLength(2)
  })

  it('that is read again shows what was, and sends nothing before somebody says so', async () => {
    const { asked } = await page({ steps: [step('search')], before: [step('search'), failed('show')], isAsked: false })

    expect(asked).not.toHaveBeenCalled()
    expect(rows()).toHaveLength(2)
    await press('Rehearse again')
    expect(asked).toHaveBeenCalledOnce()
  })

  it('tries the text that is not committed yet', async () => {
    sessionStorage.setItem(draftKey(4, FILE), 'jolt: 1\n')
    const { asked } = await page({ steps: [step('search')] })

    expect(asked.mock.calls[0]?.[1]).toEqual({ plan: FILE, text: 'jolt: 1\n' })
  })

  it('ends when the person stops it or leaves the page, and says so where the server refuses', async () => {
    const { asked, wrapper } = await page({ steps: [step('search')], isWhole: false })
    expect(outcome()).toBe('1 steps so far …')
    await press('Stop')
    expect(asked.mock.calls[0]?.[3].aborted).toBe(true)

    await press('Rehearse again')
    wrapper.unmount()
    expect(asked.mock.calls[1]?.[3].aborted).toBe(true)

    const refusal = {
      type: 'about:blank',
      title: 'Refused',
      status: 422,
      code: 'PLAN',
      detail: 'the plan has an error',
    }
    vi.spyOn(api, 'rehearse').mockRejectedValue(new ApiError(refusal))
    await router.push({ name: 'rehearsal', params: { project: 4 }, query: { file: FILE, go: '1' } })
    mount(RehearsalPage, options)
    await flushPromises()
    expect(document.querySelector('[role=alert]')?.textContent).toContain('the plan has an error')
  })

  it('is not begun by readers', async () => {
    const { asked } = await page({ steps: [step('search')], role: 'reader' })

    expect(asked).not.toHaveBeenCalled()
    expect(button('Rehearse')).toBeUndefined()
    expect(document.body.textContent).toContain('Only authors and administrators rehearse.')
  })
})

describe('an exchange', () => {
  const shown = (one: RehearsedStep, before?: RehearsedStep) =>
    mount(ExchangeView, { props: { step: one, before, canResume: false } }).element as Element

  it('shows what was sent hop by hop, what came, what was kept, and what each check found', () => {
    const check = { name: 'status: 200', held: false, found: ['503'] }
    const text = wordsIn(
      shown(
        step('pay', {
          hops: [{ method: 'POST', url: 'http://127.0.0.1:1/pay', status: 303 }],
          kept: [{ name: 'booking', value: 'LKM-1' }],
          checks: [check, { name: '$.total exists', held: true, found: ['12'] }],
        }),
        step('pay', { checks: [{ ...check, held: true }] }),
      ),
    )

    expect(text).toContain('POST http://127.0.0.1:1/pay 303 redirected GET http://127.0.0.1:1/pay')
    expect(text).toContain('kept booking LKM-1')
    expect(text).toContain('failed status: 200 found 503 held before')
    expect(text).toContain('held $.total exists')
  })

  it('gives each part of its time a colour of its own, and leaves out what did not happen', () => {
    const timing = { dns: 1, connect: 2, tls: 3, firstByte: 5, receive: 0.25, total: 11.25 }
    const element = shown(step('pay', { timing }))
    const parts = [...element.querySelectorAll('.part')].map((part) => part.classList[1])

    expect(parts).toEqual(['dns', 'connect', 'tls', 'firstByte', 'receive'])
    expect(wordsIn(element)).toContain('receiving 0.25 ms')
    expect(shown(step('pay')).querySelectorAll('.part')).toHaveLength(3)
  })
})
