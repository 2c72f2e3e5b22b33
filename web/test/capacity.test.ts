// The page of a search for a capacity, its form, and what its charts draw.
import type { CapacityDetail } from '@jolt-gate/core/api'
import type { TrialMade } from '@jolt-gate/core'
import { flushPromises, mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { api } from '../src/api/client.js'
import CapacityColumn from '../src/capacity/CapacityColumn.vue'
import CapacityDialog from '../src/capacity/CapacityDialog.vue'
import TrialTable from '../src/capacity/TrialTable.vue'
import { gateChart, throughputChart, type DrawnSearch } from '../src/capacity/capacity-charts.js'
import { comparableWith, trendChart } from '../src/capacity/capacity-trend.js'
import { answerWords, drawnGate, othersHeldTo } from '../src/capacity/capacity-words.js'
import { button, pageAround, press, rows, wordsIn } from './page.js'

const { options, router } = pageAround()
const P95 = 'p95 response time at most 300 ms'
const FAILED = 'failed requests at most 1 %'

function trial(load: number, ms: number, own: Partial<TrialMade> = {}): TrialMade {
  const isHeld = ms <= 300
  return {
    ...{ load, holdSeconds: 30, why: 'doubling', answer: isHeld ? 'held' : 'breached', deviations: 3 },
    ...{ gate: isHeld ? null : P95, throughput: load, failedShare: 0, requests: 30 * load },
    ...{ users: load / 20, generatorErrorMs: 3, steps: [], findings: [] },
    gates: [
      {
        rule: P95,
        status: isHeld ? 'held' : 'breached',
        observed: ms,
        limit: 300,
        unit: 'ms',
        interval: [null, ms + 20],
      },
      { rule: FAILED, status: 'held', observed: 0, limit: 1, unit: '%', interval: null },
    ],
    ...own,
  }
}
const TRIALS = [
  trial(20, 40),
  trial(320, 900, { findings: ['"busy places" was full'] }),
  trial(303, 412, { why: 'narrowing' }),
  trial(284, 288, { why: 'confirming' }),
]
const LAW = {
  ...{ alone: 20, r2: 0.998, points: 9, peakUsers: null, warning: null },
  contention: { value: 0.021, interval: [0.016, 0.027] as [number, number] },
  coherency: { value: 0.00004, interval: [0, 0.0001] as [number, number] },
}
const found: CapacityDetail = {
  ...{ id: 's1', projectId: 4, planFile: 'plans/a.gate.yaml', planName: 'Summer', targetName: 'harbour' },
  ...{ commit: 'e09a7d3ffff', branch: 'main', dirty: false, startedBy: 'Ida Quay', state: 'ended' },
  goal: {
    ...{ kind: 'search', unit: 'arrivals', lowest: 20, highest: 2000, exact: 0.05 },
    ...{ holdSeconds: 30, withinSeconds: 1200 },
  },
  ...{ askedAt: '2026-06-01T10:00:00Z', startedAt: '2026-06-01T10:00:00Z', endedAt: '2026-06-01T10:07:42Z' },
  ...{ verdict: 'open', words: 'capacity 284/s', load: 284, interval: [271, 296], trials: TRIALS, making: null },
  leftOut: [{ rule: 'throughput at least 1/s', why: 'the rate is what is searched' }],
  capacity: {
    ...{ unit: 'arrivals', verdict: 'open', kind: 'found', load: 284, interval: [271, 296], words: 'capacity 284/s' },
    ...{ gate: P95, trials: TRIALS, leftOut: [], gates: [], law: LAW, isGate: false },
  },
}

const COLOURS = 'ink rule soft lake brick ochre slate started far farFill marked veil'.split(' ')
const PALETTE = Object.fromEntries(COLOURS.map((name) => [name, name])) as unknown as Parameters<typeof gateChart>[1]

describe('the answer', () => {
  function shown(search: CapacityDetail): string {
    const props = { search, earlier: [{ ...found, id: 's0' }], now: Date.now() }
    const page = mount(CapacityColumn, { ...options, props })
    const words = wordsIn(document.body)
    page.unmount()
    return words
  }

  it('is the rate with its interval, what gave way first and where, the law, and what was left out', () => {
    const words = shown(found)
    expect(words).toContain('284/s highest load at which every gate held 95 % interval 271 to 296/s')
    // At the lowest load that did not hold, which was not the first that was tried.
    expect(words).toMatch(
      /What gave way first p95 response time at most 300 ms at 303\/s: 412 ms\. All other gates held at up to 320\/s/,
    )
    expect(words).toMatch(/2\.1 % contention 1\.6 % to 2\.7 %/)
    expect(words).toContain('most throughput not told by the law beyond the data')
    expect(words).toContain('throughput at least 1/s: the rate is what is searched')
  })

  it('of a law that the data do not carry says so', () => {
    const law = { ...LAW, warning: '4 trials are few for it' }
    const capacity = found.capacity === null ? null : { ...found.capacity, law }
    expect(shown({ ...found, capacity })).toContain('Not to be relied on: 4 trials are few for it.')
  })

  it.each([
    ['queued', { state: 'queued', verdict: null, load: null, interval: null }],
    ['searching', { state: 'running', verdict: null, load: null, interval: null }],
    ['stopped', { verdict: 'stopped', load: null, interval: null }],
    ['unknown', { verdict: 'void', load: null }],
    ['284/s', {}],
    ['under 20/s', { verdict: 'shut', load: 20, interval: null }],
    ['at least 900/s', { load: 900, interval: null, words: 'capacity at least 900/s: all of the range holds' }],
    ['900/s or more', { load: 900, interval: null, words: 'capacity at least 900/s: this generator can do no more' }],
  ] as [string, Partial<CapacityDetail>][])('is "%s" in a row', (words, own) => {
    expect(answerWords({ ...found, ...own })).toBe(words)
  })

  it('of a gate that was decided is held, breached or undecided, never what it was not', () => {
    const goal = { ...found.goal, kind: 'at least' as const }
    expect(shown({ ...found, goal, interval: null })).toMatch(/capacity at least 2000\/s held/)
    expect(shown({ ...found, goal, verdict: 'void', load: null, words: 'unknown: too little' })).toMatch(
      /unknown: too little/,
    )
  })
})

describe('the trend', () => {
  it('draws what comparable searches found, the oldest first, and none that looked for or at something else', () => {
    const earlier = [
      { ...found, id: 'newer', askedAt: '2026-05-30T10:00:00Z', load: 300, interval: null },
      { ...found, id: 'older', askedAt: '2026-05-01T10:00:00Z', load: 250 },
      { ...found, id: 'shut', verdict: 'shut' as const },
      { ...found, id: 'unknown', verdict: 'void' as const, load: null },
      { ...found, id: 'users', goal: { ...found.goal, unit: 'users' as const } },
      { ...found, id: 'a gate', goal: { ...found.goal, kind: 'at least' as const } },
      { ...found, id: 'elsewhere', targetName: 'staging' },
    ]
    const comparable = comparableWith(found, earlier)
    expect(comparable.map(({ id }) => id)).toEqual(['older', 'newer', 's1'])
    const { data } = trendChart(comparable, { shown: 's1', unit: 'arrivals' }, PALETTE)
    const [set] = data.datasets
    expect(set?.data.map(({ x, y }) => [x, y])).toEqual([
      [0, 250],
      [1, 300],
      [2, 284],
    ])
    expect([set?.pointStyle, set?.pointBackgroundColor]).toEqual([
      ['circle', 'triangle', 'circle'],
      ['lake', 'lake', 'ochre'],
    ])
  })
})

describe('the trials', () => {
  it('draw the gate that gave way, with each interval and by more than colour', () => {
    expect(drawnGate(TRIALS)).toBe(P95)
    expect(drawnGate([trial(20, 40)])).toBe(P95)
    expect(othersHeldTo(TRIALS, P95)).toBe(320)
    const drawn: DrawnSearch = {
      ...{ unit: 'arrivals', trials: TRIALS, rule: P95, law: LAW, answer: { load: 284, interval: [271, 296] } },
    }
    const gate = gateChart(drawn, PALETTE)
    expect(gate.data.datasets[0]?.data.map(({ x, y, end }) => [x, y, end])).toEqual([
      [20, 40, 60],
      [320, 900, 920],
      [303, 412, 432],
      [284, 288, 308],
    ])
    expect(gate.data.datasets[0]?.pointStyle).toEqual(['circle', 'rect', 'rect', 'circle'])
    const throughput = throughputChart(drawn, PALETTE)
    expect(throughput.data.datasets).toHaveLength(3)
    expect(throughputChart({ ...drawn, law: null }, PALETTE).data.datasets).toHaveLength(1)
  })

  it('are listed, the latest first, with why each was made', async () => {
    mount(TrialTable, { ...options, props: { trials: TRIALS, unit: 'arrivals', rule: P95 } })
    await flushPromises()
    const lines = rows()
    expect(lines[0]?.slice(0, 4)).toEqual(['4', '284/s', 'held', '288 ms'])
    expect(lines[0]?.at(-1)).toBe('confirms the answer')
    expect(lines.at(-1)?.at(-1)).toBe('the lowest of the range')
  })
})

describe('the form', () => {
  const open = () => {
    vi.spyOn(api, 'targets').mockResolvedValue({ targets: [] } as unknown as Awaited<ReturnType<typeof api.targets>>)
    return mount(CapacityDialog, {
      ...options,
      props: { modelValue: true, project: 4, plan: 'plans/a.gate.yaml', name: 'Summer', isChanged: false },
    })
  }
  const write = (label: string, value: string) => {
    const field = document.querySelector<HTMLInputElement>(`input[aria-label="${label}"]`)
    if (field === null) throw new Error(`no field ${label}`)
    field.value = value
    field.dispatchEvent(new Event('input'))
  }

  it('says which field is wrong, and asks for nothing', async () => {
    const asked = vi.spyOn(api, 'findCapacity')
    open()
    await flushPromises()
    write('Load', '40/s to 20/s')
    write('Each trial measures for', 'long')
    await press('Find capacity')
    expect(asked).not.toHaveBeenCalled()
    write('Each trial measures for', '30s')
    await flushPromises()
    await vi.waitFor(() => {
      expect(document.body.textContent).toContain('expected two loads, the lower first')
    })
    expect(button('Find capacity')).toBeDefined()
  })

  it('asks, and shows the search', async () => {
    const asked = vi.spyOn(api, 'findCapacity').mockResolvedValue({ ...found, id: 's9' })
    open()
    await flushPromises()
    await press('Find capacity')
    expect(asked).toHaveBeenCalledWith(4, {
      ...{ plan: 'plans/a.gate.yaml', range: '20/s to 2000/s', exact: '5 %', hold: '30s', within: '20m' },
    })
    await vi.waitFor(() => {
      expect(router.currentRoute.value.params['search']).toBe('s9')
    })
  })
})
