// The distribution of a run's times: whose they are, against what, and how they are drawn.
import { flushPromises, mount } from '@vue/test-utils'
import { ElSelect } from 'element-plus'
import { describe, expect, it, vi } from 'vitest'
import type { RunShape, TimesPicture } from '@jolt-gate/core'
import { api } from '../src/api/client.js'
import type { Palette } from '../src/run/lane-plugins.js'
import { barDatasets, curveDatasets, percentAt, roundTimes, tailOf } from '../src/run/times-charts.js'
import TimesView from '../src/run/TimesView.vue'
import { pageAround, wordsIn } from './page.js'

const { options } = pageAround()
const step = (name: string, isRequest = true) => ({ name, journeys: ['look'], group: null, isRequest })
const shape: RunShape = {
  ...{ phases: [], checks: [], metrics: [], drainMs: 0, groups: ['checkout'], journeys: ['look'] },
  steps: [step('search'), step('pay'), step('pause', false)],
}
const picture = (ms: number): TimesPicture => ({
  count: 1234,
  percentiles: { '50': 2 * ms, '75': 2.5 * ms, '90': 3 * ms, '95': 4 * ms, '99': 5 * ms, '99.9': null },
  curve: [0, 50, 90, 95, 99, 99.9].map((percent, index) => ({ percent, ms: ms * (index + 1) })),
  bars: [{ fromMs: ms, toMs: 2 * ms, count: 617 }],
})
const SEARCH = { kind: 'step', name: 'search' } as const
const shown = async (over: object = {}) => {
  const global = { ...options.global, stubs: { TimesChart: true } }
  const props = { shape, times: { of: SEARCH, whole: picture(10), part: null }, baseline: null, chosen: '' }
  const wrapper = mount(TimesView, { ...options, global, props: { ...props, against: 'whole run' as const, ...over } })
  await flushPromises()
  return wrapper
}
const figures = () => [...document.querySelectorAll('.figures')].map(wordsIn)

describe('the distribution of a run', () => {
  it('is that of the first step until another is chosen, and offers groups and journeys, too', async () => {
    const wrapper = await shown()

    expect(wrapper.emitted('show')).toEqual([[SEARCH]])
    expect(figures()).toEqual(['this run median 20.0 ms p90 30.0 ms p95 40.0 ms p99 50.0 ms p99.9 –'])
    wrapper.findAllComponents(ElSelect)[0]?.vm.$emit('change', 'group checkout')
    expect(wrapper.emitted('choose')).toEqual([['group checkout']])
    await wrapper.setProps({ chosen: 'group checkout' })
    expect(wrapper.emitted('show')?.[1]).toEqual([{ kind: 'group', name: 'checkout' }])
  })

  it('is that of a selected range against the whole run', async () => {
    await shown({ times: { of: SEARCH, whole: picture(10), part: picture(30) } })

    expect(figures().map((words) => words.split(' median ')[0])).toEqual(['selected range', 'whole run'])
  })

  it('is held against the baseline, whose histograms are read then and not before', async () => {
    const read = vi.spyOn(api, 'runResult').mockResolvedValue({ phases: [], histograms: [] } as never)
    const wrapper = await shown({ baseline: 'r5' })
    expect(read).not.toHaveBeenCalled()

    await wrapper.setProps({ against: 'baseline' })
    await flushPromises()

    expect(read).toHaveBeenCalledWith('r5')
    expect(figures().map((words) => words.split(' median ')[0])).toEqual(['this run'])
    await wrapper.setProps({ chosen: 'journey look' })
    expect(document.body.textContent).toContain('A baseline keeps the times of steps alone.')
  })

  it('says when there is nothing yet', async () => {
    await shown({ times: undefined })
    expect(document.body.textContent).toContain('Computing…')
    document.body.innerHTML = ''
    await shown({ times: { of: SEARCH, whole: null, part: null } })
    expect(document.body.textContent).toContain('Nothing of it has ended yet.')
  })
})

describe('its charts', () => {
  const palette = { lake: '#0D5C66', slate: '#575C8C', ink: '#000' } as Palette
  const drawn = [
    { words: 'range', picture: picture(10) },
    { words: 'whole', picture: { ...picture(10), count: 2 * 617 } },
  ]

  it('give each nine of a percentile the same room', () => {
    for (const [nines, percent] of [0, 90, 99, 99.9].entries()) expect(tailOf(percent)).toBeCloseTo(nines, 9)
    for (const percent of [0, 50, 95, 99.99]) expect(percentAt(tailOf(percent))).toBeCloseTo(percent, 9)
  })

  it('name round times on their axis', () => {
    expect(roundTimes(3, 120)).toEqual([5, 10, 20, 50, 100])
    expect(roundTimes(0.4, 2)).toEqual([0.5, 1, 2])
  })

  it('draw the first as a line and the second dashed, bars by their share', () => {
    expect(curveDatasets(drawn, palette).map(({ borderColor, borderDash }) => [borderColor, borderDash])).toEqual([
      ['#0D5C66', []],
      ['#575C8C', [6, 3]],
    ])
    expect(barDatasets(drawn, palette)[1]?.data).toEqual([
      { x: 10, y: 50 },
      { x: 20, y: 50 },
    ])
  })
})
