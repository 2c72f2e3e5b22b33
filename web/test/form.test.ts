// The form: phases by kind and gates by choices, and what they write into the plan.
import { VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { ElRadioGroup, ElSelect, ElSwitch } from 'element-plus'
import { afterEach, describe, expect, it } from 'vitest'
import { computed, nextTick, shallowRef } from 'vue'
import { applyChanges, editText, nodeAt, readPlan, treeOf, type Edit, type Path, type Problem } from '@jolt-gate/core'
import GateForm from '../src/plan/form/GateForm.vue'
import { partsOf, sentenceOf } from '../src/plan/form/gate-parts.js'
import PhaseForm from '../src/plan/form/PhaseForm.vue'
import { PHASE_KINDS, phaseOf } from '../src/plan/form/phase-kinds.js'
import RequestForm from '../src/plan/form/RequestForm.vue'
import { PLAN_FORM, type PlanForm } from '../src/plan/form/use-form.js'
import { planForm } from './plan-form.js'

let shown: VueWrapper | undefined
afterEach(async () => {
  // A field that grows with its text measures itself one turn later.
  await flushPromises()
  shown?.unmount()
})

const PLAN = `jolt: 1
name: A
target: http://127.0.0.1:1
values: { day: { date: today } }
journeys:
  look:
    steps:
      - send: GET /a
        name: search
        json: { day: "{day}" }
load:
  - { phase: climb, rate: 4/s to 60/s, for: 20s, cap: 90 users } # as in June
  - { phase: rest, rest: 5s }
gates:
  - failed requests at most 1 %
  - { rule: p95 response time of "search" under 300 ms, stop: after 3 breached seconds in a row }
`

/** A form over a text that its edits change. */
function formOver(text = PLAN): { form: PlanForm; now: () => string; faults: () => readonly Problem[] } {
  const current = shallowRef(text)
  const read = () => readPlan('a.gate.yaml', current.value, { files: () => undefined })
  const form = planForm({
    tree: computed(() => treeOf(current.value) ?? null),
    around: computed(() => ({ plan: read().plan, target: read().target ?? null, files: [] })),
    observed: shallowRef({ 'failed requests at most 1 %': '0.2 %' }),
    edit: (edit: Edit) => (current.value = applyChanges(current.value, editText('a.gate.yaml', current.value, edit))),
  })
  return {
    form,
    now: () => current.value,
    faults: () => read().problems.filter(({ severity }) => severity === 'error'),
  }
}
function shownFor(part: 'phase' | 'gate' | 'request', path: Path, form: PlanForm) {
  const options = { props: { path }, global: { plugins: [VueQueryPlugin], provide: { [PLAN_FORM]: form } } }
  // eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- the linter cannot follow .vue files
  const wrapper: VueWrapper =
    part === 'phase'
      ? mount(PhaseForm, options)
      : part === 'gate'
        ? mount(GateForm, options)
        : mount(RequestForm, options)
  shown = wrapper
  return wrapper
}

describe('a phase', () => {
  it.each(PHASE_KINDS.map(({ kind }) => kind))('of the kind %s is written so that it is read as that kind', (kind) => {
    const written = PHASE_KINDS.find((one) => one.kind === kind)?.write({}) ?? {}
    const flow = Object.entries(written).map(([key, value]) => `${key}: ${value}`)
    expect(phaseOf(nodeAt(treeOf(`- { ${flow.join(', ')} }`), [0])).kind).toBe(kind)
    // As the last phase of all: nobody knows when iterations end.
    const alone = PLAN.replace('rate: 4/s to 60/s, for: 20s', flow.join(', ')).replace(/ {2}- \{ phase: rest.*\n/, '')
    const { faults } = formOver(alone)
    expect(faults()).toEqual([])
  })

  it('changes its kind without an error in between, and keeps what goes for all kinds', async () => {
    const { form, now, faults } = formOver()
    const wrapper = shownFor('phase', ['load', 0], form)
    expect(wrapper.findAll('input[aria-label]').map((input) => input.attributes('aria-label'))).toContain('From')
    for (const { kind } of PHASE_KINDS.filter((one) => one.kind !== 'iterations')) {
      wrapper.getComponent(ElRadioGroup).vm.$emit('change', kind)
      await nextTick()
      expect([kind, faults()]).toEqual([kind, []])
    }
    wrapper.getComponent(ElRadioGroup).vm.$emit('change', 'constant')
    expect(now()).toMatch(/cap: 90 users \} # as in June/)
  })

  it('is no longer measured by a switch', async () => {
    const { form, now } = formOver()
    const wrapper = shownFor('phase', ['load', 0], form)
    wrapper.getComponent(ElSwitch).vm.$emit('change', false)
    await nextTick()
    expect(now()).toMatch(/climb.*measure: no/)
    wrapper.getComponent(ElSwitch).vm.$emit('change', true)
    expect(now()).not.toMatch(/measure/)
  })
})

describe('a gate', () => {
  it.each([
    'p95 response time under 300 ms',
    'failed requests at most 1 %',
    'p99 response time of "search", "view" in journey "look" during peak, "after hours" at most 110 % of baseline or 50 ms',
    'p90 time to first byte of each step under 1 s',
    'apdex at 300 ms at least 0.85',
    'max metric "busy places" at most 6',
    'mean group time of "checkout" during peak under 2 s',
  ])('is the sentence of its parts: %s', (rule) => {
    const parts = partsOf(rule)
    expect(parts && sentenceOf(parts)).toBe(rule)
  })

  it('is changed by choices, each of which gives a sentence', async () => {
    const { form, now, faults } = formOver()
    const wrapper = shownFor('gate', ['gates', 0], form)
    expect(wrapper.text()).toContain('The last run saw 0.2 %.')
    const choose = async (label: string, value: string) => {
      const found = wrapper.findAllComponents(ElSelect).find((one) => one.props('ariaLabel') === label)
      found?.vm.$emit('change', value)
      await nextTick()
      expect([label, value, faults()]).toEqual([label, value, []])
    }
    await choose('Measure', 'response time')
    await choose('Statistic', 'p99')
    await choose('Of', '"search"')
    await choose('During', 'climb')
    expect(now()).toMatch(/^ {2}- p99 response time of "search" during climb under 500 ms$/m)
    await choose('Measure', 'throughput')
    expect(now()).toMatch(/^ {2}- throughput of "search" during climb at least 10\/s$/m)
  })

  it('keeps its stop rule when its sentence changes', async () => {
    const { form, now } = formOver()
    const wrapper = shownFor('gate', ['gates', 1], form)
    wrapper.findAllComponents(ElSelect)[0]?.vm.$emit('change', 'p90')
    await nextTick()
    expect(now()).toMatch(/rule: p90 response time of "search" under 300 ms, stop: after 3 breached seconds in a row/)
  })
})

describe('a request', () => {
  it('takes another method and another kind of body, and the plan stays right', async () => {
    const { form, now, faults } = formOver()
    const wrapper = shownFor('request', ['journeys', 'look', 'steps', 0], form)
    wrapper.findAllComponents(ElSelect)[0]?.vm.$emit('change', 'POST')
    await nextTick()
    expect(now()).toMatch(/- send: POST \/a/)
    for (const kind of ['form', 'text', 'xml', 'none']) {
      wrapper.getComponent(ElRadioGroup).vm.$emit('change', kind)
      await nextTick()
      expect([kind, faults()]).toEqual([kind, []])
    }
    expect(now()).not.toMatch(/json|form:|xml/)
  })
})
