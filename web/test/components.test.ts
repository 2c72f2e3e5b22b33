// Components as a browser shows them: what they say, and what they tell their page.
import { mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { shallowRef } from 'vue'
import type { GateResult, KeptRequest, Problem, StepSummary, Surroundings } from '@jolt-gate/core'
import { compilePath, parseJson, readPlan, treeOf } from '@jolt-gate/core'
import { offersFor } from '../src/plan/form/offers.js'
import FormText from '../src/plan/form/FormText.vue'
import ProblemList from '../src/plan/ProblemList.vue'
import ResponsePicker from '../src/plan/form/ResponsePicker.vue'
import { PLAN_FORM, type PlanForm } from '../src/plan/form/use-form.js'
import FailuresTable from '../src/run/FailuresTable.vue'
import SlowestTable from '../src/run/SlowestTable.vue'
import StepsTable from '../src/run/StepsTable.vue'
import VerdictColumn from '../src/run/VerdictColumn.vue'
import { press } from './page.js'
import { planForm } from './plan-form.js'

let shown: VueWrapper | undefined
afterEach(() => shown?.unmount())

const gate = (over: Partial<GateResult>): GateResult => ({
  rule: 'p95 response time under 300 ms',
  line: 9,
  status: 'held',
  observed: 120,
  lowerBound: 118,
  upperBound: 122,
  limit: 300,
  unit: 'ms',
  margin: 180,
  samples: 600,
  interval: [110, 130],
  borderline: false,
  baselineValue: null,
  firstBreachAtMs: null,
  stoppedAtMs: null,
  ...over,
})
const step = (over: Partial<StepSummary>): StepSummary => ({
  slowest: [],
  name: 'search sailings',
  journeys: ['look around'],
  group: null,
  requests: 12_345,
  failed: 0,
  failedShare: 0,
  resent: 0,
  throughput: 41.25,
  bytesReceived: 0,
  bytesSent: 0,
  responseTime: null,
  failedTime: null,
  connectTime: null,
  timeToFirstByte: null,
  failures: [],
  checks: [],
  ...over,
})

describe('the verdict', () => {
  const column = (over: Partial<InstanceType<typeof VerdictColumn>['$props']>, notes: readonly string[] = []) => {
    const props = {
      verdict: null,
      state: 'running' as const,
      part: 'load' as const,
      reasons: [],
      gates: [],
      elapsed: 12,
      seconds: 60,
      errorMs: null,
      noBaseline: null,
      trust: null,
    }
    const wrapper = mount(VerdictColumn, { props: { ...props, ...over, notes } })
    shown = wrapper
    return wrapper.text()
  }

  it('says what the generator was late at, and that it decided nothing where the verdict is another', () => {
    const late = 'requests started 97 ms late'

    expect(column({ verdict: 'open', trust: [] })).toContain('kept to its schedule')
    expect(column({ verdict: 'void', trust: [late] })).toContain('the run is void for these reasons')
    expect(column({ verdict: 'shut', trust: [late] })).toContain(`verdict did not depend on it.${late}`)
  })

  it.each([
    ['open', 'Open (passed)'],
    ['shut', 'Shut (failed)'],
    ['void', 'Void (inconclusive)'],
    ['stopped', 'Stopped'],
  ] as const)('%s is shown as %s', (verdict, words) => {
    expect(column({ verdict, state: 'ended' })).toContain(words)
  })

  it.each([
    ['queued', null, 'Queued'],
    ['running', 'setup', 'Running: setup'],
    ['running', 'load', 'Running'],
    ['running', 'teardown', 'Running: teardown'],
  ] as const)('a run that is %s (%s) is %s', (state, part, words) => {
    expect(column({ state, part })).toMatch(new RegExp(`^${words}`))
  })

  it('does not say that all is held where a gate was not judged, and says what else is to be known', () => {
    const gates = [gate({}), gate({ rule: 'p95 response time at most 110 % of baseline', status: 'no baseline' })]
    const text = column({ verdict: 'open', state: 'ended', gates }, ['1 gate not judged: no baseline'])

    expect(text).toContain('2 gates: 1 held, 1 no baseline')
    expect(text).toContain('note: 1 gate not judged: no baseline')
  })

  it('says how many gates are breached, since when, and what is borderline', () => {
    const near = { samples: 900, effectiveSamples: 61, interval: [280, null] as [number, null], borderline: true }
    const gates = [gate({ status: 'breached', observed: 412, firstBreachAtMs: 75_000, ...near }), gate({})]
    const text = column({ verdict: 'shut', state: 'ended', gates })
    expect(text).toContain('2 gates: 1 breached, 1 heldfirst breach at 1:15')
    expect(text).toContain('412 ms')
    expect(text).toContain(
      'borderline: 95 % interval at least 280 ms; its 900 samples tell as much as 61 independent ones',
    )
  })

  it('of a live run tells how far it is, and does not call a gate unmeasured before its end', () => {
    const text = column({ gates: [gate({ status: 'unmeasured', observed: null })] })
    expect(text).toContain('0:12 of 1:00 · 0 of 1 breached so far')
    expect(text).toContain('too few samples yet')
  })

  it('repeats no reason that the gates say, and shows all others', () => {
    const reasons = ['breached: p95 response time under 300 ms', 'sender 1 ended unexpectedly']
    const text = column({ verdict: 'void', state: 'ended', reasons, gates: [gate({})] })
    expect(text).not.toContain('breached: p95')
    expect(text).toContain('sender 1 ended unexpectedly')
  })
})

describe('the tables of a run', () => {
  it('have a dash where nothing was measured, and figures in groups of three', async () => {
    shown = mount(StepsTable, {
      props: { of: 'step', rows: [step({}), step({ name: 'pay', requests: 0, throughput: 0 })] },
    })
    // The table draws its rows when it has measured its columns.
    await expect.poll(() => shown?.text().replaceAll(/\s/g, ' ')).toContain('12 345')
    const text = shown.text()
    expect(text).toContain('41.3')
    expect(text).toContain('–')
  })

  it('list failures of all steps, the most frequent first', async () => {
    const failure = { kind: 'status', detail: '503', firstAtMs: 61_000, sample: 'queue full', kept: null }
    const steps = [
      step({ failures: [{ ...failure, count: 2 }] }),
      step({ name: 'pay', failures: [{ ...failure, count: 40, kind: 'timeout' }] }),
    ]
    shown = mount(FailuresTable, { props: { steps, traces: undefined } })
    const rows = () => shown?.findAll('tbody tr').map((row) => row.text()) ?? []
    await expect.poll(rows).toHaveLength(2)
    expect(rows()[0]).toMatch(/pay.*timeout.*40.*1:01/s)
    shown.unmount()
    shown = mount(FailuresTable, { props: { steps: [step({})], traces: undefined } })
    expect(shown.text()).toBe('No failures.')
  })

  it('open one failed request in full, with a link to its trace', async () => {
    const trace = '4bf92f3577b34da6a3ce929d0e0e4736'
    const timing = { dns: null, connect: null, tls: null, firstByte: 4, receive: 1, total: 5 }
    const kept: KeptRequest = {
      ...{ stage: 'look around', step: 'search', dueMs: 61_000, trace, timing, hops: [], checks: [], kept: [] },
      request: { method: 'GET', url: 'http://127.0.0.1:1/sailings', headers: [], body: null },
      response: { status: 503, headers: [['retry-after', '7']], body: 'queue full', size: 10 },
      failure: { kind: 'status', detail: '503' },
    }
    const failure = { kind: 'status', detail: '503', count: 2, firstAtMs: 61_000, sample: 'queue full', kept }
    const traces = 'https://traces.example/{trace}'
    const wrapper = mount(FailuresTable, {
      props: { steps: [step({ failures: [failure] })], traces },
      attachTo: document.body,
    })
    shown = wrapper
    await expect.poll(() => wrapper.findAll('tbody tr').length).toBe(1)
    await press('Open')
    await expect.poll(() => document.body.textContent).toMatch(/look around, due at 1:01.*retry-after.*7/s)
    expect(document.querySelector('a[href^="https://traces.example/"]')?.getAttribute('href')).toBe(
      `https://traces.example/${trace}`,
    )
  })

  it('list the slowest requests with the parts of their time; a moment selects its seconds', async () => {
    const parts = { dns: null, connect: 0.5, tls: null, firstByte: 900, receive: 3, total: 1250 }
    const slowest = [{ dueMs: 61_400, failed: true, trace: null, ...parts }]
    const wrapper = mount(SlowestTable, {
      props: { steps: [step({ slowest })], traces: undefined },
      attachTo: document.body,
    })
    shown = wrapper
    await expect.poll(() => wrapper.findAll('tbody tr').length).toBe(1)
    expect(wrapper.text()).toMatch(/search sailings failed.*1:01.*1.25 s.*–.*0.50 ms.*900 ms/s)
    await press('1:01')
    expect(wrapper.emitted('pick')).toEqual([[{ fromSecond: 56, toSecond: 68 }]])
  })
})

/** What the form knows of a small plan, and what it was asked to change. */
const PLAN = `jolt: 1
name: x
target: http://127.0.0.1:1
values: { day: { date: today } }
journeys:
  look:
    steps:
      - send: GET /a
        name: search
load:
  - { phase: peak, rate: 1/s, for: 1s }
gates: [failed requests at most 1 %]
`
function formOf(problems: Problem[] = []): PlanForm {
  const { plan, target } = readPlan('a.gate.yaml', PLAN, { files: () => undefined })
  const around: Surroundings = { plan, target: target ?? null, files: ['data/p.csv', 'schemas/hold.json'] }
  return planForm({
    tree: shallowRef(treeOf(PLAN) ?? null),
    problems: shallowRef(problems),
    around: shallowRef(around),
  })
}

describe('a text of the form', () => {
  const textOf = (props: InstanceType<typeof FormText>['$props'], form = formOf()) => {
    const wrapper = mount(FormText, { props, global: { provide: { [PLAN_FORM]: form } } })
    shown = wrapper
    return wrapper
  }

  it('is written at Enter, and once', async () => {
    const wrapper = textOf({ text: 'GET /a', label: 'send', line: 8 })
    await wrapper.get('input').setValue('GET /b')
    expect(wrapper.emitted('set')).toBeUndefined()
    await wrapper.get('input').trigger('keydown', { key: 'Enter' })
    await wrapper.get('input').trigger('blur')
    await vi.waitFor(() => {
      expect(wrapper.emitted('set')).toEqual([['GET /b']])
    })
  })

  it('is as it was after Escape', async () => {
    const wrapper = textOf({ text: 'GET /a', label: 'send', line: 8 })
    await wrapper.get('input').setValue('GET /b')
    await wrapper.get('input').trigger('keydown', { key: 'Escape' })
    await wrapper.get('input').trigger('blur')
    expect(wrapper.emitted('set')).toBeUndefined()
    expect(wrapper.get('input').element.value).toBe('GET /a')
  })

  it('offers what may be written there: sentences, names in braces, files', () => {
    const around = formOf().around.value
    if (around === undefined) throw new Error('nothing is around')
    expect(offersFor('failed ', { kind: 'sentence', rule: 'Gate' }, around)).toContain('failed requests')
    expect(offersFor('GET /{da', { kind: 'text' }, around)).toContain('GET /{day}')
    expect(offersFor('', { kind: 'file', ending: '.csv' }, around)).toEqual(['data/p.csv'])
  })

  it('shows the error of its line, and no other', () => {
    const problem = { file: 'a.gate.yaml', column: 1, severity: 'error', code: 'X' } as const
    const problems: Problem[] = [
      { ...problem, line: 8, message: 'expected a method' },
      { ...problem, line: 9, message: 'another' },
    ]
    const wrapper = textOf({ text: 'GETT /a', label: 'send', line: 8 }, formOf(problems))
    expect(wrapper.get('.fault').text()).toBe('expected a method')
    expect(wrapper.get('input').attributes('aria-invalid')).toBe('true')
  })
})

describe('problems', () => {
  it('are listed with their place, or their file where it is another, and are picked', async () => {
    const problem = { column: 3, severity: 'error', code: 'X', message: 'not a key' } as const
    const problems: Problem[] = [
      { ...problem, file: 'a.gate.yaml', line: 4 },
      { ...problem, file: 'targets/here.target.yaml', line: 1 },
    ]
    const wrapper = mount(ProblemList, { props: { file: 'a.gate.yaml', problems } })
    shown = wrapper
    expect(wrapper.findAll('.place').map((place) => place.text())).toEqual(['4:3', 'targets/here.target.yaml:1'])
    await wrapper.findAll('button')[1]?.trigger('click')
    expect(wrapper.emitted('pick')).toEqual([[problems[1]]])
  })
})

function finderOf(path: string) {
  const finder = compilePath(path)
  if (typeof finder === 'string') throw new Error(finder)
  return finder
}

describe('the response of a rehearsal', () => {
  const BODY = { id: 7, "it's": { 'a "b"\\': true }, list: [{ deep: 'x' }], now: 1 }
  const pickerOf = (form = formOf()) => {
    const response = { status: 200, headers: [], body: JSON.stringify(BODY), size: 1 }
    form.rehearsed.value = [
      {
        stage: 'look',
        step: 'search',
        request: null,
        hops: [],
        response,
        checks: [],
        kept: [],
        failure: null,
        trace: null,
        timing: { dns: null, connect: null, tls: null, firstByte: null, receive: null, total: 1 },
      },
    ]
    const props = { step: 'search', path: ['journeys', 'look', 'steps', 0] }
    const wrapper = mount(ResponsePicker, { props, global: { provide: { [PLAN_FORM]: form } } })
    shown = wrapper
    return { wrapper, edits: vi.mocked(form.edit).mock.calls }
  }

  it('gives every value a path that finds it again, whatever its name', async () => {
    const { wrapper } = pickerOf()
    const paths: string[] = []
    for (const leaf of wrapper.findAll('button.leaf')) {
      await leaf.trigger('click')
      paths.push(wrapper.get('.acts code').text())
    }
    const found = paths.map((path) => finderOf(path)(parseJson(JSON.stringify(BODY)) ?? null))
    expect(found).toEqual([[7], [true], ['x'], [1]])
  })

  it('keeps a value under a name that may stand there, and checks it', async () => {
    const { wrapper, edits } = pickerOf()
    await wrapper.findAll('button.leaf').at(-1)?.trigger('click')
    for (const act of wrapper.findAll('.acts button')) await act.trigger('click')
    const step = ['journeys', 'look', 'steps', 0]
    expect(edits.map(([edit]) => edit)).toEqual([
      { kind: 'set', path: [...step, 'keep', 'value_now'], value: 'json $.now' },
      { kind: 'insert', list: [...step, 'check'], index: 0, value: 'json $.now is 1' },
    ])
  })
})
