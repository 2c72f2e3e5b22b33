// What people do while they read a run together: marks, links, views, lanes, and the rule by which runs are kept.
import { flushPromises, mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { readLanes } from '@jolt-gate/core'
import type { LaneView, RunDetail } from '@jolt-gate/core/api'
import { ElInput, ElSelect } from 'element-plus'
import { api } from '../src/api/client.js'
import LaneAdd from '../src/run/LaneAdd.vue'
import LaneViews from '../src/run/LaneViews.vue'
import RunMarks from '../src/run/RunMarks.vue'
import RunShares from '../src/run/RunShares.vue'
import RetentionDialog from '../src/runs/RetentionDialog.vue'
import { button, pageAround, press } from './page.js'

const { options, signIn } = pageAround()
const mark = { id: 4, atMs: 61_000, text: 'cache flushed', by: 'Jon Buoy' }
const run = { id: 'r1', marks: [mark] } as unknown as RunDetail
const text = () => document.body.textContent.replaceAll(/\s+/g, ' ')

describe('marks', () => {
  it('are put at the second that was pointed at, and removed', async () => {
    const add = vi.spyOn(api, 'addMark').mockResolvedValue(mark)
    const remove = vi.spyOn(api, 'removeMark').mockResolvedValue(undefined)
    const wrapper = mount(RunMarks, { ...options, props: { run, second: 12, modelValue: false } })
    await wrapper.setProps({ modelValue: true })
    await flushPromises()
    expect(text()).toContain('1:01 cache flushed')

    await wrapper.findComponent(ElInput).setValue('deployed 1.4.2')
    await press('Put mark')
    await press('Remove')

    expect(add).toHaveBeenCalledWith('r1', 'deployed 1.4.2', 12_000)
    expect(remove).toHaveBeenCalledWith('r1', 4)
    expect(wrapper.emitted('changed')).toHaveLength(2)
  })
})

describe('links', () => {
  it('are made for some days, told once, and ended', async () => {
    const share = { id: 3, by: 'Ida Quay', at: '2026-06-01T08:00:00Z', until: '2026-06-08T08:00:00Z' }
    vi.spyOn(api, 'shares').mockResolvedValue({ shares: [share] })
    const make = vi.spyOn(api, 'share').mockResolvedValue({ ...share, token: 'jolt_share_abc' })
    const end = vi.spyOn(api, 'revokeShare').mockResolvedValue(undefined)
    const wrapper = mount(RunShares, { ...options, props: { run, modelValue: false } })
    await wrapper.setProps({ modelValue: true })
    await press('Make a link')

    expect(make).toHaveBeenCalledWith('r1', 7)
    expect(wrapper.findComponent(ElInput).props('modelValue')).toBe(`${location.origin}/shared/jolt_share_abc`)
    expect(text()).toContain('until 2026-06-08')
    await press('Revoke')
    expect(end).toHaveBeenCalledWith('r1', 3)
    end.mockRejectedValueOnce(new Error('it is gone'))
    await press('Revoke')
    expect(text()).toContain('it is gone')
  })
})

describe('views', () => {
  const views: LaneView[] = [{ id: 1, name: 'Pool', lanes: 'load,time', planFile: 'p', by: 'Ida Quay' }]
  const props = { project: 1, planFile: 'p', views, lanes: 'load,time' }

  it('are named, shown, kept for a plan and deleted', async () => {
    signIn('author')
    const save = vi.spyOn(api, 'saveView').mockResolvedValue(views[0] ?? expect.fail())
    const remove = vi.spyOn(api, 'removeView').mockResolvedValue(undefined)
    mount(LaneViews, { ...options, props })
    expect(button('View: Pool')).toBeDefined()
    const choose = async (words: string) => {
      await press('View: Pool')
      await vi.waitFor(() => expect(text()).toContain(words))
      const item = [...document.querySelectorAll<HTMLElement>('.el-dropdown-menu__item')].find((one) =>
        one.textContent.trim().startsWith(words),
      )
      item?.click()
      await flushPromises()
    }
    await choose('Save as view')
    await vi.waitFor(() => expect(button('Keep')).toBeDefined())
    await press('Keep')
    expect(save).toHaveBeenCalledWith(1, { name: 'Pool', lanes: 'load,time', planFile: 'p' })
    await choose('Delete')
    expect(remove).toHaveBeenCalledWith(1, 1)
  })
})

describe("a lane of one's own", () => {
  const shape = {
    ...{ phases: [], checks: [], drainMs: 0, groups: [], journeys: ['look'] },
    steps: [{ name: 'search', journeys: [], group: null, isRequest: true }],
    metrics: [{ name: 'queue', unit: '', ceiling: null }],
  }
  it('has series in at most two units, and there are four such lanes', async () => {
    const wrapper = mount(LaneAdd, { ...options, props: { shape, lanes: [] } })
    await press('+ Lane')
    await wrapper.findComponent(ElSelect).setValue(['step~search~p95', 'metric~queue', 'generator~busy'])
    expect(text()).toContain('a lane has at most 2 units; these are in ms, metric queue, %')
    await wrapper.findComponent(ElSelect).setValue(['step~search~p95', 'metric~queue'])
    await press('Add')
    expect(wrapper.emitted('add')).toEqual([
      [
        [
          { of: 'step', name: 'search', figure: 'p95' },
          { of: 'metric', name: 'queue' },
        ],
      ],
    ])
    await wrapper.setProps({ lanes: readLanes('metric~a,metric~b,metric~c,metric~d') })
    expect(button('+ Lane')?.disabled).toBe(true)
  })
})

describe('how long runs are kept', () => {
  it('is chosen, and written as the sentence that it makes', async () => {
    vi.spyOn(api, 'retention').mockImplementation((_, rule = 'keep 90 days') =>
      Promise.resolve({ rule, due: 0, today: 0 }),
    )
    const choices = { plans: [], targets: [], branches: ['main', 'release/1'], labels: ['build=209'] }
    vi.spyOn(api, 'runChoices').mockResolvedValue(choices)
    const save = vi.spyOn(api, 'setRetention').mockResolvedValue({ rule: '', due: 0, today: 0 })
    const wrapper = mount(RetentionDialog, { ...options, props: { project: 1, modelValue: false } })
    const choose = async (label: string, value: string) => {
      const select = wrapper.findAllComponents(ElSelect).find((one) => one.props('ariaLabel') === label)
      select?.vm.$emit('change', value)
      await flushPromises()
    }
    await wrapper.setProps({ modelValue: true })
    await flushPromises()
    await press('+ Keep some longer')
    await choose('Branch of rule 1', 'release/1')
    await choose('Label of rule 1', 'build=209')
    await choose('Length of rule 1', 'ever')
    await press('Save')
    expect(save).toHaveBeenCalledWith(1, 'keep 90 days, open runs of release/1 with label build=209 for ever', false)
  })

  it('is a sentence that says what it would delete', async () => {
    vi.spyOn(api, 'retention').mockImplementation((_, rule = 'keep 90 days') =>
      Promise.resolve({ rule, due: 12, today: rule === 'keep 90 days' ? 12 : 2 }),
    )
    const save = vi.spyOn(api, 'setRetention').mockResolvedValue({ rule: '', due: 0, today: 0 })
    const wrapper = mount(RetentionDialog, { ...options, props: { project: 1, modelValue: false } })
    await wrapper.setProps({ modelValue: true })
    await vi.waitFor(() => expect(text()).toContain('12 runs will be deleted within the hour.'))
    const sentence = () => wrapper.findAllComponents(ElInput).find((one) => one.props('ariaLabel') === 'Rule')
    await sentence()?.setValue('keep some')
    expect(text()).toContain('the rule begins with how long runs are kept')
    expect(button('Save')?.disabled).toBe(true)
    await sentence()?.setValue('keep 30 days')
    await press('Save')
    expect(save).toHaveBeenCalledWith(1, 'keep 30 days', false)
    await wrapper.setProps({ modelValue: false })
    await wrapper.setProps({ modelValue: true })
    await vi.waitFor(() => expect(text()).toContain('12 runs will be deleted'))
    await sentence()?.setValue('keep 30 days')
    await vi.waitFor(() => expect(text()).toContain('12 runs are due: 2 will be deleted within the hour'))
    await press('Save and delete all 12 runs now')
    expect(save).toHaveBeenCalledWith(1, 'keep 30 days', true)
  })
})
