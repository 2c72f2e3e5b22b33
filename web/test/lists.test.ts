// Lists to choose from: the runs of a project, what can be found or done, metrics of a target, rows of a file.
import { flushPromises, mount } from '@vue/test-utils'
import { ElPagination, ElPopconfirm, ElTable } from 'element-plus'
import { describe, expect, it, vi } from 'vitest'
import { computed, shallowRef } from 'vue'
import { readTarget } from '@jolt-gate/core'
import type { RunSummary, TargetLine } from '@jolt-gate/core/api'
import { api, ApiError } from '../src/api/client.js'
import FindOrDo from '../src/find/FindOrDo.vue'
import DataRows from '../src/plan/form/DataRows.vue'
import { PLAN_FORM } from '../src/plan/form/use-form.js'
import RunsPage from '../src/runs/RunsPage.vue'
import TargetMetrics from '../src/targets/TargetMetrics.vue'
import { button, pageAround, press, rows } from './page.js'
import { planForm } from './plan-form.js'

const { router, options, signIn } = pageAround()
const refused = (detail: string) =>
  new ApiError({ type: 'about:blank', title: 'Refused', status: 409, code: 'CHANGED', detail })

describe('the runs of a project', () => {
  const run = (over: Partial<RunSummary>): RunSummary => ({
    id: 'r1',
    number: 12,
    planFile: 'plans/a.gate.yaml',
    planName: 'Summer',
    targetName: 'harbour',
    origin: 'http://127.0.0.1:1',
    commit: 'abcdef0123456',
    branch: 'main',
    dirty: false,
    state: 'ended',
    part: null,
    verdict: 'shut',
    reasons: [],
    askedAt: '2026-11-26T12:00:00Z',
    startedAt: null,
    endedAt: null,
    seconds: 90,
    spark: { due: [1, 2], p95: [4, null] },
    startedBy: 'Ida Quay',
    impact: null,
    gates: { all: 5, breached: 2 },
    requests: 12_345,
    failedShare: 0.0123,
    p95: 412,
    labels: {},
    note: null,
    ...over,
  })
  const list = async (runs: RunSummary[], { total = runs.length, query = {}, role = 'author' as const } = {}) => {
    signIn(role)
    vi.spyOn(api, 'runChoices').mockResolvedValue({ plans: [], targets: [], branches: [], labels: [] })
    const asked = vi.spyOn(api, 'runs').mockResolvedValue({ runs, total, pageSize: 50 })
    await router.push({ name: 'runs', params: { project: 4 }, query })
    // The filters are tested by themselves.
    const global = { ...options.global, stubs: { RunFilters: true } }
    const wrapper = mount(RunsPage, { ...options, global })
    await flushPromises()
    await flushPromises()
    return { asked, wrapper }
  }

  it('stand with their verdict in two words, the gates that were breached, and their figures', async () => {
    const going = run({
      id: 'r2',
      number: 13,
      state: 'running',
      verdict: null,
      gates: null,
      p95: null,
      failedShare: null,
    })
    await list([{ ...going, requests: null, startedBy: null }, run({})])

    const [live, shut] = rows()
    expect(live?.slice(1, 4)).toEqual(['13', 'Running', 'Summer'])
    expect(live?.slice(6, 10)).toEqual(['–', '–', '–', '1 min 30 s'])
    expect(shut?.slice(1, 3)).toEqual(['12', 'Shut (failed) 2 of 5 gates'])
    expect(shut?.slice(6, 11)).toEqual(['412 ms', '12 345', '1.2 %', '1 min 30 s', 'abcdef0 main'])
    expect(shut?.at(-1)).toContain('Ida Quay')
  })

  it('are asked for as the address says, and what it says wrongly is left out', async () => {
    const { asked } = await list([], { query: { verdict: 'shut', branch: 'main', page: '3' } })
    expect(asked.mock.lastCall).toEqual([4, expect.objectContaining({ verdict: 'shut', branch: 'main', page: 3 })])

    await router.replace({ query: { verdict: 'splendid', page: 'many' } })
    await flushPromises()
    expect(asked.mock.lastCall?.[1]).toMatchObject({ verdict: undefined, page: undefined })
  })

  it('open from the row and turn their pages in the address', async () => {
    const { wrapper } = await list([run({})], { total: 120 })

    wrapper.findComponent(ElPagination).vm.$emit('current-change', 2)
    await flushPromises()
    expect(router.currentRoute.value.query).toEqual({ page: '2' })

    wrapper.findComponent(ElTable).vm.$emit('row-click', run({ id: 'r9' }))
    await flushPromises()
    expect(router.currentRoute.value.params['run']).toBe('r9')
  })

  it('are ordered over all pages by a figure, which stands in the address', async () => {
    const { wrapper } = await list([run({})], { query: { page: '2' } })

    wrapper.findComponent(ElTable).vm.$emit('sort-change', { prop: 'p95', order: 'ascending' })
    await flushPromises()
    expect(router.currentRoute.value.query).toEqual({ sort: 'p95', direction: 'up' })
    wrapper.findComponent(ElTable).vm.$emit('sort-change', { prop: null, order: null })
    await flushPromises()
    expect(router.currentRoute.value.query).toEqual({})
  })

  it('say what to do where there are none, and offer all where none fits', async () => {
    const { wrapper } = await list([])
    expect(wrapper.text()).toContain('No runs yet Open a plan and run it. Open plans')
    wrapper.unmount()

    await list([], { query: { branch: 'calmer' } })
    await press('Show all runs')
    expect(router.currentRoute.value.query).toEqual({})
  })

  it('are deleted by administrators, who are asked first', async () => {
    const removed = vi.spyOn(api, 'deleteRuns').mockResolvedValue({ deleted: 1 })
    const { wrapper } = await list([run({})], { role: 'administrator' as 'author' })

    wrapper.findComponent(ElTable).vm.$emit('selection-change', [run({})])
    await flushPromises()
    const question = wrapper.findComponent(ElPopconfirm)
    expect(question.props('title')).toBe('Delete 1 run with all that was recorded? This cannot be undone.')
    question.vm.$emit('confirm', new MouseEvent('click'))
    await flushPromises()

    expect(removed).toHaveBeenCalledWith(4, ['r1'])
    expect(document.body.textContent).toContain('Deleted 1 run.')
  })

  it('are compared by everybody, the oldest first, five at the most, and deleted by administrators alone', async () => {
    const { wrapper } = await list([run({})])
    const choose = async (numbers: number[]) => {
      wrapper.findComponent(ElTable).vm.$emit(
        'selection-change',
        numbers.map((number) => run({ id: `r${String(number)}`, number })),
      )
      await flushPromises()
    }

    await choose([14, 9])
    const link = wrapper.findAll('a').find((one) => one.text() === 'Compare 2 runs')
    expect(link?.attributes('href')).toBe('/p/4/compare?runs=r9,r14')
    expect(wrapper.findComponent(ElPopconfirm).exists()).toBe(false)
    await choose([1, 2, 3, 4, 5, 6])
    expect(wrapper.text()).toContain('up to 5 runs can be compared')
  })

  it('are compared as sides of several: the one with the oldest run came before', async () => {
    const { wrapper } = await list([run({})])
    const choose = async (numbers: number[]) => {
      wrapper.findComponent(ElTable).vm.$emit(
        'selection-change',
        numbers.map((number) => run({ id: `r${String(number)}`, number })),
      )
      await flushPromises()
    }

    await choose([14, 13])
    await press('Compare them with others…')
    await choose([])
    expect(wrapper.text()).toContain('select two to five to compare with runs 13, 14')
    await choose([13, 12, 11])
    const link = wrapper.findAll('a').find((one) => one.text() === 'Compare with runs 13, 14')
    expect(link?.attributes('href')).toBe('/p/4/compare?runs=r11,r12&with=r13,r14')
    await press('Cancel')
    expect(wrapper.text()).toContain('Compare 3 runs')
  })

  it('say when they cannot be read', async () => {
    await list([run({})])

    vi.mocked(api.runs).mockRejectedValue(refused('the database is away'))
    await router.push({ name: 'runs', params: { project: 5 } })
    await flushPromises()

    expect(document.body.textContent).toContain('the database is away')
  })
})

describe('find or do', () => {
  const open = async () => {
    vi.spyOn(api, 'runs').mockResolvedValue({ runs: [], total: 0, pageSize: 50 })
    vi.spyOn(api, 'targets').mockRejectedValue(refused('away'))
    const steps = [{ name: 'search sailings', line: 9 }]
    const plan = { file: 'plans/a.gate.yaml', name: 'Summer', steps }
    // Of a line of the list of plans only these are read.
    vi.spyOn(api, 'plans').mockResolvedValue({ plans: [plan] } as unknown as Awaited<ReturnType<typeof api.plans>>)
    const wrapper = mount(FindOrDo, { ...options, props: { project: 4, modelValue: false } })
    await wrapper.setProps({ modelValue: true })
    await flushPromises()
    return wrapper
  }
  const field = () => document.querySelector<HTMLInputElement>('input[aria-label="Find or do"]')
  const type = async (words: string) => {
    const input = field()
    if (input === null) throw new Error('there is no field')
    input.value = words
    input.dispatchEvent(new Event('input'))
    await flushPromises()
  }
  const key = async (name: string) => {
    field()?.dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true }))
    await flushPromises()
  }
  const found = () => [...document.querySelectorAll('#found .label')].map(({ textContent }) => textContent)

  it('finds what has every word, and puts first what begins with them', async () => {
    await open()

    await type('summer')
    expect(found()).toEqual(['Summer', 'search sailings', 'Rehearse Summer'])
    await type('sea sum')
    expect(found()).toEqual(['search sailings'])
    await type('nobody')
    expect(document.querySelector('[role=status]')?.textContent).toBe('Nothing found')
  })

  it('is gone through with the arrow keys, and goes to the line of a step', async () => {
    const wrapper = await open()
    await type('summer')

    for (const name of ['ArrowDown', 'ArrowDown', 'ArrowDown', 'ArrowUp', 'Enter']) await key(name)

    expect(wrapper.emitted('update:modelValue')).toEqual([[false]])
    expect(router.currentRoute.value).toMatchObject({ name: 'plan', query: { file: 'plans/a.gate.yaml', line: '9' } })
  })

  it('does what is an action of the application', async () => {
    const wrapper = await open()
    await type('light')
    await key('Enter')

    expect(wrapper.emitted('act')).toEqual([['theme']])
  })
})

describe('the metrics of a target', () => {
  const { target = null } = readTarget(
    'targets/harbour.target.yaml',
    'origin: http://127.0.0.1:1\nmetrics:\n  open places: { url: /figures, family: places_open }\n',
  )
  const line: TargetLine = {
    name: 'harbour',
    file: 'targets/harbour.target.yaml',
    text: '',
    base: 'b',
    target,
    problems: [],
    secrets: [],
    isLoopback: true,
    fault: null,
  }
  const family = (name: string, value: number) => ({ name, type: 'gauge', samples: [{ name, labels: {}, value }] })

  it('are read now and while one looks, and a family that no run reads can be added', async () => {
    vi.useFakeTimers()
    const read = vi.spyOn(api, 'metric')
    for (const value of [3, 9, 6])
      read.mockResolvedValueOnce({ families: [family('places_open', 40), family('queue', value)] })
    const wrapper = mount(TargetMetrics, { ...options, props: { project: 4, target: line, mayAdd: true } })
    await wrapper.find('form').trigger('submit')
    await vi.advanceTimersByTimeAsync(4000)
    vi.useRealTimers()
    await flushPromises()

    expect(read).toHaveBeenCalledWith(4, 'harbour', '/figures')
    const seen = rows()
    expect(seen.map(([name, , now]) => [name, now])).toEqual([
      ['places_open in use', '40'],
      ['queue', '6'],
    ])
    // Three readings, two pixels apart: the least at the bottom, the most at the top.
    expect(wrapper.find('svg[aria-label="queue while you look"] polyline').attributes('points')).toBe(
      '0,16.0 2,2.0 4,9.0',
    )
    await wrapper.find('[aria-label="Add queue"]').trigger('click')
    expect(wrapper.emitted('add')).toEqual([['queue', '/figures']])
  })

  it('say why they cannot be read', async () => {
    vi.spyOn(api, 'metric').mockRejectedValue(refused('/figures answered 404'))
    const wrapper = mount(TargetMetrics, { ...options, props: { project: 4, target: line, mayAdd: false } })
    await wrapper.find('form').trigger('submit')
    await flushPromises()

    expect(wrapper.find('[role=alert]').text()).toBe('/figures answered 404')
  })
})

describe('the rows of a file', () => {
  const fileOf = async (file: string, files: Record<string, string>, mayWrite = true) => {
    const form = planForm({
      file: shallowRef('plans/a.gate.yaml'),
      files: computed(() => files),
      project: shallowRef(4),
      mayWrite: shallowRef(mayWrite),
    })
    const global = { ...options.global, provide: { [PLAN_FORM]: form } }
    const wrapper = mount(DataRows, { ...options, global, props: { file, name: 'passenger' } })
    await flushPromises()
    return { wrapper, form }
  }
  const CSV = 'name,port\nIda,Ostrey\nBo,"Tarn, Skerry"\n'

  it('show the first of them under the names that a plan gives them, of either format', async () => {
    const { wrapper } = await fileOf('data/p.csv', { 'data/p.csv': CSV })
    expect(wrapper.findAll('th').map((head) => head.text())).toEqual(['{passenger.name}', '{passenger.port}'])
    expect(rows()[1]).toEqual(['Bo', 'Tarn, Skerry'])

    wrapper.unmount()
    await fileOf('data/p.jsonl', { 'data/p.jsonl': '{"name":"Ida","age":41}\n' })
    expect(rows()).toEqual([['Ida', '41']])
  })

  it('say where a file is missing or cannot be read', async () => {
    expect((await fileOf('data/p.csv', {})).wrapper.text()).toContain('There is no file data/p.csv yet')
    expect((await fileOf('data/p.csv', { 'data/p.csv': 'a,b\n1\n' })).wrapper.text()).toMatch(/data\/p\.csv, line 2: /)
  })

  it('are edited whole, and committed only while they can be read', async () => {
    vi.spyOn(api, 'data').mockResolvedValue({ file: 'data/p.csv', text: CSV, base: 'b1' })
    const save = vi
      .spyOn(api, 'saveData')
      .mockRejectedValueOnce(refused('it changed'))
      .mockResolvedValue({ file: 'data/p.csv', base: 'b2', commit: 'c', branch: 'main', dirty: false })
    const { form } = await fileOf('data/p.csv', { 'data/p.csv': CSV })
    await press('Edit rows')
    const text = document.querySelector('textarea')
    const write = async (value: string) => {
      if (text === null) throw new Error('there is no text')
      text.value = value
      text.dispatchEvent(new Event('input'))
      await flushPromises()
    }

    await write('name,port\nIda\n')
    expect(button('Commit rows')?.disabled).toBe(true)
    await write('name,port\nIda,Fennick\n')
    await press('Commit rows')
    expect(document.querySelector('.el-dialog [role=alert]')?.textContent).toContain('it changed')
    await press('Commit rows')

    expect(save).toHaveBeenLastCalledWith(4, 'data/p.csv', {
      text: 'name,port\nIda,Fennick\n',
      message: 'Rows of data/p.csv',
      base: 'b1',
    })
    expect(form.readFiles).toHaveBeenCalledOnce()
  })

  it('are only looked at by readers', async () => {
    await fileOf('data/p.csv', { 'data/p.csv': CSV }, false)
    expect(button('Edit rows')).toBeUndefined()
  })
})
