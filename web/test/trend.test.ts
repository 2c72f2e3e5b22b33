// Trends and comparisons: what is drawn and said of runs beside one another.
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { ElDropdown } from 'element-plus'
import { describe, expect, it, vi } from 'vitest'
import { readPlan, readTrends, type Comparison, type RunResult } from '@jolt-gate/core'
import type { RunDetail, TrendPoint, TrendRun, TrendSeries } from '@jolt-gate/core/api'
import { api } from '../src/api/client.js'
import {
  alignedTo,
  answersOf,
  aroundOf,
  COMPARE_LANES,
  gateRowsOf,
  rowsOf,
  valueAt,
  type ComparedRun,
} from '../src/compare/compare-picture.js'
import RunActions from '../src/run/RunActions.vue'
import TrendStrip from '../src/trend/TrendStrip.vue'
import { changesIn, countsIn, impactPicture, pictureOf, STRIP_HEIGHT, xOf } from '../src/trend/trend-picture.js'
import ShiftList from '../src/trend/ShiftList.vue'
import { pageAround, press } from './page.js'

const { router, options, signIn } = pageAround()
const RULE = 'p95 response time of "search" under 300 ms'

const run = (number: number, over: Partial<TrendRun> = {}): TrendRun => ({
  id: `r${String(number)}`,
  number,
  verdict: 'open',
  commit: `${String(number).padStart(3, '0')}abcdef`,
  branch: 'main',
  askedAt: '2026-11-26T12:00:00Z',
  impact: 'steady',
  startedBy: null,
  requests: 100,
  failedShare: 0,
  p95: 1,
  ...over,
})
const point = (value: number, over: Partial<TrendPoint> = {}): TrendPoint => ({
  ...{ value, low: value - 5, high: value + 5, limit: 300, status: 'held' },
  ...over,
})
const series = (points: (TrendPoint | null)[], over: Partial<TrendSeries> = {}): TrendSeries => ({
  ...{ name: 'p95 response time of "search"', kind: 'gate', rule: RULE, unit: 'ms', points },
  ...over,
})
/** Eight runs at one level, eight at another. */
const LEVELS = [...Array<number>(8).fill(200), ...Array<number>(8).fill(320)].map((value, index) => value + (index % 3))
const RUNS = LEVELS.map((_, index) => run(index + 1))
const WIDTH = 700
/** A picture with its changes, as the page has it once they are computed. */
const read = (one: TrendSeries) => {
  const values = one.points.map((point) => point?.value ?? null)
  const [found] = readTrends([values], RUNS.map(countsIn))
  return pictureOf(one, RUNS, WIDTH, found)
}

describe('a strip of a trend', () => {
  it('puts a dot at each run, with its interval, under its limit, and says all of it in words', () => {
    const runs = [run(1), run(2, { verdict: 'void' }), run(3), run(4)]
    const picture = pictureOf(
      series([point(200), point(900), point(320, { status: 'breached', high: null }), null]),
      runs,
      WIDTH,
    )

    expect(picture.dots.map(({ look }) => look)).toEqual(['held', 'not counted', 'breached'])
    expect(picture.dots.map(({ words }) => words)).toEqual([
      'run 1: 200 ms',
      'run 2: 900 ms, not counted',
      'run 3: 320 ms',
    ])
    expect(picture).toMatchObject({ note: 'under 300 ms', last: '320 ms', limit: { words: '300 ms' } })
    expect(picture.dots[2]?.high).toBeUndefined()
    const [low, high] = [picture.dots[0]?.y ?? NaN, picture.dots[1]?.y ?? NaN]
    expect(high).toBeLessThan(low)
    for (const { y } of picture.dots) expect(y > 0 && y < STRIP_HEIGHT).toBe(true)
  })

  it('stands runs evenly apart, from edge to edge', () => {
    expect([0, 1, 2].map((place) => xOf(place, 3, 128))).toEqual([14, 64, 114])
    expect(xOf(0, 1, 128)).toBe(64)
  })

  it('has levels and the change between them, told with its runs, its size and its commits', () => {
    const one = series(LEVELS.map((value) => point(value)))
    const picture = read(one)
    expect(picture.levels).toHaveLength(2)

    const [change, ...others] = changesIn([picture], [one], RUNS)

    expect(others).toEqual([])
    expect(change).toMatchObject({
      title: 'p95 response time of "search" rose by 60 %',
      detail: '201 ms to 321 ms, between run 8 and run 9',
      commits: '008abcd … 009abcd',
      isWorse: true,
    })
  })

  it.each([
    ['a throughput that falls', 'throughput at least 10/s', '/s', [50, 20], true],
    ['a throughput that rises', 'throughput at least 10/s', '/s', [20, 50], false],
    ['a time that falls', RULE, 'ms', [320, 200], false],
    ['a time of no gate that rises', null, 'ms', [200, 320], true],
  ] as const)('knows which way is worse: %s', (_, rule, unit, [before, after], isWorse) => {
    const values = [...Array<number>(8).fill(before), ...Array<number>(8).fill(after)]
    const name = rule === null ? 'p95' : rule.replace(/ (?:at least|under) .*/, '')
    const one = series(
      values.map((value) => point(value)),
      { rule, unit, name },
    )

    expect(changesIn([read(one)], [one], RUNS).map((change) => change.isWorse)).toEqual([isWorse])
  })

  it('of the impact goes up with each grade, and is left out where no run has one', () => {
    const picture = impactPicture([run(1), run(2, { impact: 'failing' }), run(3, { impact: null })], WIDTH)

    expect(picture?.dots.map(({ look }) => look)).toEqual(['held', 'breached'])
    expect(picture?.last).toBe('failing')
    expect(picture?.dots[1]?.y).toBeLessThan(picture?.dots[0]?.y ?? NaN)
    expect(impactPicture([run(1, { impact: null })], WIDTH)).toBeUndefined()
  })

  it('is one picture with words, whose runs can be picked', async () => {
    const picture = pictureOf(series([point(200), point(210)]), [run(1), run(2)], WIDTH)
    const strip = mount(TrendStrip, {
      props: { picture, width: WIDTH, chosen: [1], xOf: (place: number) => xOf(place, 2, WIDTH), runWidth: 18 },
    })

    expect(strip.find('svg').attributes('aria-label')).toBe(`${picture.title}: run 1: 200 ms; run 2: 210 ms`)
    expect(strip.findAll('.chosen')).toHaveLength(1)
    await strip.findAll('.hit')[0]?.trigger('click')
    expect(strip.emitted('pick')).toEqual([[0]])
  })
})

describe('what changed', () => {
  const one = series(LEVELS.map((value) => point(value)))
  const changes = changesIn([read(one)], [one], RUNS)
  const shown = (over: object = {}): VueWrapper =>
    mount(ShiftList, {
      ...options,
      props: { project: 4, changes, isRead: true, countedRuns: 16, notes: [], mayWrite: true, ...over },
    }) as VueWrapper

  it('is compared and acknowledged, in words', async () => {
    const wrapper = shown()
    expect(wrapper.find('a').attributes('href')).toBe('/p/4/compare?runs=r8,r9')

    await press('Acknowledge…')
    await vi.waitFor(() => {
      expect(document.querySelector('.ask input')).not.toBeNull()
    })
    const field = document.querySelector<HTMLInputElement>('.ask input')
    if (field === null) throw new Error('no field')
    field.value = '  a new pool  '
    field.dispatchEvent(new Event('input'))
    await flushPromises()
    document.querySelector('.ask')?.dispatchEvent(new Event('submit'))
    await flushPromises()

    expect(wrapper.emitted('acknowledge')).toEqual([[changes[0], 'a new pool']])
  })

  it('shows what is known of it, which can be taken back', async () => {
    const note = { id: 3, run: 'r9', series: one.name, words: 'a new pool', by: 'Ida Quay', at: '' }
    const wrapper = shown({ notes: [note, { ...note, id: 4, run: 'r2' }] })

    expect(wrapper.findAll('.note')).toHaveLength(1)
    expect(wrapper.text()).not.toContain('Acknowledge…')
    await press('Remove comment')
    expect(wrapper.emitted('retract')).toEqual([[note]])
    expect(shown({ changes: [] }).text()).toContain('No shift in these runs')
  })

  it('is not denied while it is looked for, nor where too few runs count', () => {
    expect(shown({ changes: [], isRead: false }).text()).toContain('Looking for shifts…')
    expect(shown({ changes: [], countedRuns: 5 }).text()).toContain(
      'Cannot tell: 5 of these runs count, and a shift takes 4 on either side.',
    )
  })
})

const planOf = (limit: string) =>
  readPlan(
    'plans/a.gate.yaml',
    `jolt: 1\nname: A\ntarget: http://127.0.0.1:1\njourneys:\n  a:\n    steps:\n      - { send: GET /a, name: search }\nload:\n  - { phase: p, rate: 1/s, for: 9s }\ngates:\n  - p95 response time under ${limit}\n`,
    { files: () => undefined },
  ).plan

/** What a comparison asks of a run, and no more. */
function compared(number: number, over: { limit?: string; observed?: number; impact?: string }): ComparedRun {
  const { limit = '300 ms', observed = 200, impact = 'steady' } = over
  const rule = `p95 response time under ${limit}`
  const detail = { number, commit: `${String(number)}00000000`, branch: 'main', plan: planOf(limit) }
  const result = {
    target: { name: 'here', origin: 'http://127.0.0.1:1' },
    tool: '0.1.0',
    impact: { grade: impact },
    labels: number === 2 ? { build: '209' } : {},
    gates: [{ rule, observed, unit: 'ms', status: observed > 300 ? 'breached' : 'held' }],
  }
  return { detail: detail as unknown as RunDetail, result: result as unknown as RunResult, line: 0 }
}

describe('runs side by side', () => {
  const phases = (...lengths: [string, number][]) => {
    let at = 0
    return lengths.map(([name, seconds]) => ({ name, fromMs: at, toMs: (at += 1000 * seconds) }))
  }

  it('lie over one another phase by phase, and the rest keeps its distance from the end', () => {
    const place = alignedTo(phases(['warm-up', 10], ['peak', 20]), phases(['warm-up', 4], ['dip', 2], ['peak', 10]))

    expect(place(2)).toBe(5)
    expect([place(6), place(11), place(15.5)]).toEqual([10, 20, 29])
    expect([place(16), place(18)]).toEqual([30, 32])
  })

  it('are read at the same moment of the same phase, and nowhere where one has nothing', () => {
    const lane = COMPARE_LANES.find(({ key }) => key === 'time')
    const run = (lengths: [string, number][], p95: (number | null)[]) =>
      ({ phases: phases(...lengths), series: { p95 } }) as unknown as RunResult
    const [base, late] = [
      run(
        [
          ['a', 2],
          ['b', 2],
        ],
        [1, 2, 3, 4],
      ),
      run([['b', 2]], [30, null]),
    ]

    expect(lane && [valueAt(lane, base, base, 2), valueAt(lane, late, base, 2)]).toEqual([3, 30])
    expect(lane && valueAt(lane, late, base, 0)).toBeNull()
  })

  it('differ by plan, place and labels, in the words of the plan', () => {
    const around = aroundOf(compared(1, {}), compared(2, { limit: '250 ms', impact: 'failing' }))

    expect(around[0]).toMatch(/^plan: .*p95 response time.*250 ms/)
    expect(around).toEqual(
      expect.arrayContaining([
        'commit: 1000000, then 2000000',
        'impact: steady, then failing',
        'labels: none, then build=209',
      ]),
    )
    expect(aroundOf(compared(1, {}), compared(1, {}))).toEqual([])
  })

  it('have each gate and each figure in a row, and an answer for each run against the first', () => {
    const change = {
      ...{ figure: 'p95', unit: 'ms' as const, before: 200, after: 320, difference: 120 },
      ...{ interval: [90, 150] as [number, number], p: 0.001, outcome: 'worse' as const },
    }
    const comparison = {
      ...{ smallest: 0.05, untested: [], warnings: ['the loads differ'], onlyBefore: [], onlyAfter: [], gates: [] },
      steps: [
        {
          step: 'search',
          requests: [9, 9],
          changes: [
            change,
            {
              ...change,
              figure: 'failed',
              unit: 'share',
              before: 0.01,
              after: 0,
              difference: -0.01,
              interval: null,
              outcome: 'not tested',
            },
          ],
        },
      ],
    } as unknown as Comparison
    const runs = [compared(1, {}), compared(2, { observed: 320 })]

    expect(rowsOf([comparison]).map(({ step, figure, first, others }) => [step, figure, first, others[0]])).toEqual([
      [
        'search',
        'p95',
        '200 ms',
        { value: '320 ms', difference: '+120 ms', interval: '+90.0 ms to +150 ms', outcome: 'worse' },
      ],
      ['', 'failed', '1.00 %', { value: '0.0 %', difference: '−1.00 %', interval: '', outcome: 'not tested' }],
    ])
    expect(gateRowsOf(runs)[0]?.values).toEqual([
      { value: '200 ms', status: 'held' },
      { value: '320 ms', status: 'breached' },
    ])
    const [answer] = answersOf(runs, [comparison])
    expect(answer).toMatchObject({ title: 'Run 2 against run 1', words: 'Worse: p95 of "search".', tone: 'worse' })
    expect(answer?.around[0]).toBe('the loads differ')
  })
})

describe('what can be done with a run', () => {
  const detail = (over: Partial<RunDetail>) =>
    ({
      ...{ id: 'r9', number: 9, projectId: 4, planFile: 'plans/a.gate.yaml', targetName: 'here' },
      ...{ verdict: 'open', keptBy: null, result: { baseline: { id: 'r5' } } },
      ...over,
    }) as unknown as RunDetail
  const shown = (over: Partial<RunDetail> = {}, state: 'ended' | 'running' = 'ended') => {
    signIn('author')
    const wrapper = mount(RunActions, {
      ...options,
      props: { run: detail(over), state, part: 'load' as const, isConnected: true },
    })
    const choose = async (command: string) => {
      wrapper.findComponent(ElDropdown).vm.$emit('command', command)
      await flushPromises()
    }
    return { wrapper, choose }
  }

  it('is compared with its baseline, or with the run of the same plan and target before it', async () => {
    const { choose, wrapper } = shown()
    const before = [run(8, { requests: null }), run(7)].map((one) => ({ ...one, state: 'ended' }))
    vi.spyOn(api, 'runs').mockResolvedValue({ runs: before, total: 3, pageSize: 50 } as never)

    await choose('baseline')
    expect(router.currentRoute.value.query).toEqual({ runs: 'r5,r9' })
    await choose('before')
    expect(router.currentRoute.value.query).toEqual({ runs: 'r7,r9' })
    expect(api.runs).toHaveBeenCalledWith(4, { plan: 'plans/a.gate.yaml', target: 'here', before: 9 })
    await choose('trend')
    expect(router.currentRoute.value).toMatchObject({ name: 'trend', query: { target: 'here' } })

    vi.mocked(api.runs).mockResolvedValue({ runs: [], total: 0, pageSize: 50 })
    await choose('before')
    expect(wrapper.emitted('fault')?.[0]).toEqual(['No run of this plan against this target went before it.'])
  })

  it('is kept as a baseline, and kept no longer', async () => {
    const keep = vi.spyOn(api, 'keepBaseline').mockResolvedValue({} as never)
    const remove = vi.spyOn(api, 'removeBaseline').mockResolvedValue(undefined)
    const { choose, wrapper } = shown()

    await choose('keep')
    await choose('keep no longer')

    expect([keep.mock.calls, remove.mock.calls]).toEqual([[['r9']], [['r9']]])
    expect(wrapper.emitted('changed')).toHaveLength(2)
    wrapper.unmount()
    expect(shown({ keptBy: 'Ida Quay' }).wrapper.text()).toContain('Baseline')
  })

  it('is only stopped while it goes', async () => {
    const { wrapper } = shown({}, 'running')

    expect(wrapper.findComponent(ElDropdown).exists()).toBe(false)
    await press('Stop')
    expect(wrapper.emitted('stop')).toHaveLength(1)
  })
})
