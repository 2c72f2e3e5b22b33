// What a run's page says beside its charts.
import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { ResultFinding } from '@jolt-gate/core'
import FindingList from '../src/run/FindingList.vue'

const finding = (over: Partial<ResultFinding>): ResultFinding => ({
  kind: 'saturation',
  level: 'warning',
  confidence: 0.995,
  phases: ['rush'],
  steps: [],
  fromMs: 13_000,
  toMs: 18_000,
  evidence: { arrivalsPerSecond: 301, errorP99Ms: 4 },
  text: 'Completed requests stop growing at about 301 arrivals/s.',
  tryNext: ['Look at what is full.', 'Scale it.'],
  ...over,
})
const list = (findings: ResultFinding[], more: object = {}) =>
  mount(FindingList, { props: { findings, impact: undefined, isLive: false, ...more } })

describe('findings', () => {
  it('stand with the gravest first, their level in words, and the first step to take', () => {
    const shown = list([
      finding({}),
      finding({ kind: 'failures', level: 'problem', evidence: { count: 7, kind: 'status' } }),
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
    expect(shown.findAll('dt').map((name) => name.text())).toEqual(['arrivals per second', 'error p99, ms'])
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
