// The load strip: handles that are held and moved, and what a picture says of its scale.
import { mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { readPlan, type Phase } from '@jolt-gate/core'
import LoadHandles from '../src/plan/LoadHandles.vue'
import RunSpark from '../src/runs/RunSpark.vue'

const planOf = (...phases: string[]) =>
  readPlan(
    'a.gate.yaml',
    `jolt: 1\nname: A\ntarget: http://127.0.0.1:1\njourneys:\n  a:\n    steps:\n      - { send: GET /a, name: a }\nload:\n${phases.map((phase) => `  - ${phase}\n`).join('')}`,
    { files: () => undefined },
  ).plan.load.phases

let shown: VueWrapper | undefined
beforeEach(() => {
  vi.useFakeTimers()
})
afterEach(() => {
  shown?.unmount()
  vi.useRealTimers()
})

/** Ten pixels are a second, and ten are one arrival per second. */
function handles(phases: readonly Phase[]) {
  let second = 0
  const places = phases.map(({ name, seconds }) => {
    const fromSeconds = second
    second += seconds
    return { name, fromSeconds, toSeconds: second }
  })
  const [x, y] = [(seconds: number) => 10 * seconds, (rate: number) => 500 - 10 * rate]
  const props = { phases: [...phases], places, x, y, secondsPerPixel: 0.1, ratePerPixel: 0.1 }
  const wrapper = mount(LoadHandles, { props })
  shown = wrapper
}
function page(): VueWrapper {
  if (shown === undefined) throw new Error('nothing is shown')
  return shown
}
const handle = (label: string) => page().find(`[aria-label="${label}"]`)
/** What was told of a rate, without the phase. */
const rates = () => (page().emitted<[Phase, number, number]>('rate') ?? []).map((one) => one.slice(1))
const lengths = () => (page().emitted<[Phase, number]>('length') ?? []).map((one) => one[1])

describe('handles on the load', () => {
  it('stand at the end of each phase and at its rates; a ladder and a rest have no rate to hold', () => {
    handles(
      planOf(
        '{ phase: steady, rate: 5/s, for: 10s }',
        '{ phase: climb, rate: 5/s to 20/s, for: 10s }',
        '{ phase: pause, rest: 5s }',
      ),
    )

    const labels = page()
      .findAll('.handle')
      .map((one) => one.attributes('aria-label'))
    expect(labels).toEqual([
      'Length of steady',
      'Rate of steady',
      'Length of climb',
      'First rate of climb',
      'Last rate of climb',
      'Length of pause',
    ])
    expect(handle('Last rate of climb').attributes('aria-valuenow')).toBe('20')
  })

  it('go by one second or one arrival per second a key, and write once the keys have ended', async () => {
    handles(planOf('{ phase: steady, rate: 5/s, for: 10s }'))

    for (const key of ['ArrowUp', 'ArrowUp', 'ArrowUp', 'ArrowDown'])
      await handle('Rate of steady').trigger('keydown', { key })
    expect(rates()).toEqual([])
    await vi.runAllTimersAsync()
    expect(rates()).toEqual([[7, 7]])

    await handle('Length of steady').trigger('keydown', { key: 'ArrowLeft' })
    await vi.runAllTimersAsync()
    expect(lengths()).toEqual([9])
    expect(page().emitted('held')?.at(-1)).toEqual([undefined])
  })

  it.each([
    ['2 minutes', 120, 125],
    ['10 minutes', 600, 630],
  ])('go by larger steps along a phase of %s', async (_, seconds, longer) => {
    handles(planOf(`{ phase: long, rate: 5/s, for: ${String(seconds)}s }`))

    await handle('Length of long').trigger('keydown', { key: 'ArrowRight' })
    await vi.runAllTimersAsync()

    expect(lengths()).toEqual([longer])
  })

  it('never make a phase shorter than a second, nor a constant rate nothing', async () => {
    handles(planOf('{ phase: brief, rate: 0.5/s, for: 1s }'))

    await handle('Length of brief').trigger('keydown', { key: 'ArrowDown' })
    await vi.runAllTimersAsync()
    await handle('Rate of brief').trigger('keydown', { key: 'ArrowDown' })
    await vi.runAllTimersAsync()

    expect([lengths(), rates()]).toEqual([[1], [[0.1, 0.1]]])
  })

  it('are dragged by the scale that held when they were taken, and show the load on the way', async () => {
    handles(planOf('{ phase: climb, rate: 5/s to 20/s, for: 10s }'))
    const top = handle('Last rate of climb')

    await top.trigger('pointerdown', { clientX: 100, clientY: 300 })
    await top.trigger('pointermove', { clientX: 100, clientY: 250 })
    expect(page().emitted<[Phase]>('held')?.at(-1)?.[0]).toMatchObject({ from: 5, to: 25 })
    // The picture is drawn anew at another scale meanwhile.
    await page().setProps({ ratePerPixel: 7 })
    await top.trigger('pointerup', { clientX: 100, clientY: 200 })

    expect(rates()).toEqual([[5, 30]])
  })

  it('change nothing by a click, and by other keys', async () => {
    handles(planOf('{ phase: steady, rate: 5/s, for: 10s }'))
    const level = handle('Rate of steady')

    await level.trigger('pointerdown', { clientX: 10, clientY: 10 })
    await level.trigger('pointerup', { clientX: 10, clientY: 10 })
    await level.trigger('keydown', { key: 'Tab' })
    await vi.runAllTimersAsync()

    expect([rates(), lengths()]).toEqual([[], []])
  })
})

describe('the small picture of a run', () => {
  it('puts response times over the load of the same moment, also where the last ones are missing', () => {
    const spark = { due: [0, 10, 10, 10, 0], p95: [null, 40, 80, null, null] }
    const wrapper = mount(RunSpark, { props: { spark } })
    shown = wrapper

    // A width of 190 over four steps: the second and the third point of the load, and of the times.
    const xOf = (path: string) =>
      [...(page().find(path).attributes('d') ?? '').matchAll(/[ML]([\d.]+) /g)].map(([, x]) => x)
    expect(xOf('.load')).toEqual(['0.0', '47.5', '95.0', '142.5', '190.0'])
    expect(xOf('.times')).toEqual(['47.5', '95.0'])
  })
})
