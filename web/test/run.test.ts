// What a run's page says beside its charts.
import { flushPromises, mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { PhaseSummary, ResultFinding, RunShape } from '@jolt-gate/core'
import FindingList from '../src/run/FindingList.vue'
import JourneysTable from '../src/run/JourneysTable.vue'
import PhasesTable from '../src/run/PhasesTable.vue'

const finding = (over: Partial<ResultFinding>): ResultFinding => ({
  kind: 'saturation',
  severity: 'warning',
  confidence: 0.995,
  phases: ['rush'],
  steps: [],
  fromMs: 13_000,
  toMs: 18_000,
  evidence: { arrivalsPerSecond: 301, errorP99Ms: 4, firstAtMs: 65_000, shareOfRequests: 0.0296 },
  text: 'Completed requests stop growing at about 301 arrivals/s.',
  tryNext: ['Look at what is full.', 'Scale it.'],
  ...over,
})
const list = (findings: ResultFinding[], more: object = {}) =>
  mount(FindingList, { props: { findings, impact: undefined, isLive: false, ...more } })

describe('findings', () => {
  it('stand with the gravest first, their severity in words, and the first step to take', () => {
    const shown = list([
      finding({}),
      finding({ kind: 'failures', severity: 'problem', evidence: { count: 7, kind: 'status' } }),
    ])

    const titles = shown.findAll('h3').map((title) => title.text())
    expect(titles).toEqual(['7 failures: status Problem', 'Saturated at about 301 arrivals/s Warning'])
    expect(shown.text()).toContain('Look at what is full.')
    expect(shown.text()).not.toContain('Scale it.')
  })

  it('select the seconds that they are about, and open on their evidence', async () => {
    const shown = list([finding({})])
    const [chart, evidence] = shown.findAll('button')

    await chart?.trigger('click')
    await evidence?.trigger('click')

    expect(shown.emitted('pick')).toEqual([[{ fromSecond: 13, toSecond: 18 }]])
    const told = shown.findAll('dl > *').map((part) => part.text())
    expect(told).toEqual([
      'arrivals',
      '301/s',
      'generator error, p99',
      '4 ms',
      'first',
      'from 1:05',
      'share',
      '2.96 % of requests',
    ])
    expect(shown.text()).toContain('Scale it.')
  })

  it('say when there are none, and how the impact was', () => {
    const impact = {
      grade: 'failing' as const,
      satisfiedMs: 300,
      lowestApdex: 0.4,
      failedIterationShare: 0.05,
      recoveryMs: { rush: 4000 },
    }

    expect(list([]).text()).toContain('Nothing stands out.')
    expect(list([], { isLive: true }).text()).toContain('so far')
    expect(list([], { impact }).text()).toContain('failing, recovered in 4 s after rush')
  })
})

describe('the tables beside the steps', () => {
  const time = {
    ...{ count: 9, min: 1, mean: 50, sd: 1, max: 90 },
    percentiles: { '50': 40, '75': 50, '90': 60, '95': 70, '99': 80, '99.9': 90 },
  }

  it('show journeys with the groups of their steps', async () => {
    const step = { name: 'pay', journeys: ['book a place'], group: 'checkout', isRequest: true }
    const shape: RunShape = {
      phases: [],
      steps: [step],
      groups: ['checkout'],
      journeys: [],
      checks: [],
      metrics: [],
      drainMs: 0,
    }
    const journey = { started: 11, finished: 6, failed: 3, cutOff: 1, unfinished: 2 }
    const journeys = [
      { name: 'look around', ...journey, time: null },
      { name: 'book a place', ...journey, time },
    ]
    const shown = mount(JourneysTable, {
      props: { journeys, groups: [{ name: 'checkout', count: 6, failed: 0, time }], shape },
    })

    await flushPromises()
    const rows = shown.findAll('.el-table__row').map((row) => row.findAll('td').map((cell) => cell.text()))
    expect(rows[0]).toEqual(['look around', '6', '3', '33.3 %', '2', '–', '–', '–', '–'])
    expect(rows[1]).toEqual(['book a place', '6', '3', '33.3 %', '2', '40.0 ms', '70.0 ms', '80.0 ms', '90.0 ms'])
    expect(rows[2]?.slice(0, 4)).toEqual(['checkout', '6', '0', '0.0 %'])
  })

  it('show phases, each of which selects its seconds', async () => {
    const steps = [{ name: 'pay', requests: 60, failed: 3, responseTime: time }]
    const phase = { arrivalsDue: 30, arrivalsStarted: 30, capped: 0, peakUsers: 4, throughput: 5.7, steps }
    const phases: PhaseSummary[] = [
      { name: 'rush', kind: 'constant', track: null, fromMs: 5000, toMs: 15_000, measured: false, ...phase },
    ]
    const shown = mount(PhasesTable, { props: { phases } })

    await flushPromises()
    await shown.find('.el-table__row button').trigger('click')

    expect(shown.emitted('pick')).toEqual([[{ fromSecond: 5, toSecond: 15 }]])
    const cells = shown.findAll('.el-table__row td').map((cell) => cell.text())
    expect(cells).toEqual(['rushnot measured', '0:05 – 0:15', '30', '30', '4', '60', '3', '5.0 %', '5.7/s', '70.0 ms'])
  })
})
