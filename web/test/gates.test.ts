// Gates of a plan as sentences: their words are picked and changed, and gates are added and removed.
import { VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { ElDropdown, ElPopover } from 'element-plus'
import { afterEach, describe, expect, it } from 'vitest'
import { readPlan } from '@jolt-gate/core'
import AddMenu from '../src/forms/AddMenu.vue'
import GateList from '../src/plan/GateList.vue'
import { usualGates } from '../src/plan/use-gates.js'
import { button, press } from './page.js'

const LIMITED = 'p95 response time of "search" under 300 ms'
const PLAN = `jolt: 1
name: A
target: http://127.0.0.1:1
journeys:
  look:
    steps:
      - { send: GET /a, name: search }
      - { send: GET /b, name: pay }
load:
  - { phase: steady, rate: 1/s, for: 10s }
gates:
  - ${LIMITED}
  - { rule: failed requests at most 1 %, stop: after 3 breached seconds in a row }
  - throughput of each step at least 1/s
`
const { plan } = readPlan('a.gate.yaml', PLAN, { files: () => undefined })

let shown: VueWrapper | undefined
afterEach(() => {
  shown?.unmount()
  document.body.innerHTML = ''
})
function list(over: Partial<InstanceType<typeof GateList>['$props']> = {}) {
  const props = { plan, target: null, line: 12, observed: { [LIMITED]: '212 ms' }, mayWrite: true }
  const wrapper = mount(GateList, {
    attachTo: document.body,
    props: { ...props, ...over },
    global: { plugins: [VueQueryPlugin] },
  })
  shown = wrapper
}
function page(): VueWrapper {
  if (shown === undefined) throw new Error('nothing is shown')
  return shown
}
/** Opens what stands under a word of a gate, and gives the words of its offers. */
async function pick(word: string): Promise<void> {
  await page()
    .findAll('.word')
    .find((one) => one.text() === word)
    ?.trigger('click')
  await flushPromises()
}
const isOpen = () =>
  page()
    .findAllComponents(ElPopover)
    .some((one) => one.props('visible'))
/** What has opened under a word: each word has a form, and only one is seen. */
const opened = () =>
  [...document.querySelectorAll<HTMLElement>('.el-popper')].find((one) => one.style.display !== 'none')
async function choose(words: string): Promise<void> {
  const found = [...(opened()?.querySelectorAll('button') ?? [])].find((one) =>
    one.textContent.trim().startsWith(words),
  )
  if (found === undefined) throw new Error(`${words} is not offered: ${opened()?.textContent ?? 'nothing is open'}`)
  found.click()
  await flushPromises()
}
async function type(value: string): Promise<void> {
  const field = opened()?.querySelector('input')
  if (field === null || field === undefined) throw new Error('no field is open')
  field.value = value
  field.dispatchEvent(new Event('input'))
  await choose('Change')
}

describe('the gates of a plan', () => {
  it('stand as they were written, with what they stop and what the last run saw', () => {
    list()

    const gates = page()
      .findAll('.gate')
      .map((gate) => gate.text())

    expect(gates).toHaveLength(3)
    expect(gates[0]).toContain('last run 212 ms')
    expect(gates[1]).toContain('stops the run after 3 breached seconds in a row')
    expect(gates[2]?.replaceAll(/\s/g, '')).toContain('throughputofeachstepatleast1/s')
  })

  it('have a limit that is typed, and one that is none is refused with the reason', async () => {
    list()
    await pick('300 ms')

    await type('300 parsecs')
    expect(opened()?.querySelector('.fault')?.textContent).not.toBe('')
    expect(page().emitted('rule')).toBeUndefined()

    await type('250 ms')
    expect(page().emitted<[unknown, string]>('rule')?.[0]?.[1]).toBe('p95 response time of "search" under 250 ms')
    expect(isOpen()).toBe(false)
  })

  it('offer a limit a fifth above what the last run saw', async () => {
    list()
    await pick('300 ms')
    await choose('254 ms: the last run saw 212 ms')
    await choose('Change')

    expect(page().emitted<[unknown, string]>('rule')?.[0]?.[1]).toBe('p95 response time of "search" under 254 ms')
  })

  it('offer the names of the plan, one of which is taken at once', async () => {
    list()
    await pick('"search"')
    await choose('"pay"')

    expect(page().emitted<[unknown, string]>('rule')?.[0]?.[1]).toBe('p95 response time of "pay" under 300 ms')
  })

  it('are left as they were by Escape, by Cancel and by the same words', async () => {
    list()
    for (const leave of [
      () => choose('Cancel'),
      () => choose('Change'),
      () => {
        opened()
          ?.querySelector('form')
          ?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }))
        return flushPromises()
      },
    ]) {
      await pick('300 ms')
      expect(isOpen()).toBe(true)
      await leave()
      expect(isOpen()).toBe(false)
    }

    expect(page().emitted('rule')).toBeUndefined()
  })

  it('are changed one word at a time, also where the keyboard leads from one gate to another', async () => {
    list()
    await pick('300 ms')
    expect(isOpen()).toBe(true)

    const other = page().findAll('.gate')[1]?.find('.word').element
    other?.dispatchEvent(new FocusEvent('focusin', { bubbles: true }))
    await flushPromises()

    expect(isOpen()).toBe(false)
  })

  it('are removed by name, and selected by a click', async () => {
    list()
    await page().find(`[aria-label="Remove the gate failed requests at most 1 %"]`).trigger('click')
    await page().findAll('.gate')[2]?.trigger('click')

    expect(page().emitted<[{ written: string }]>('remove')?.[0]?.[0].written).toBe('failed requests at most 1 %')
    expect(page().emitted('pick')).toEqual([[14]])
  })

  it('are added as most plans have them, without those that are there, or from their parts', async () => {
    list()
    const choose = (rule: string) => page().findComponent(ElDropdown).vm.$emit('command', rule)
    const offered = usualGates(plan)
    expect(offered).toContain('failed checks at most 0 %')
    expect(offered).not.toContain('failed requests at most 1 %')

    choose('failed checks at most 0 %')
    choose('')
    await flushPromises()
    await press('Add gate')

    expect(page().emitted('add')).toEqual([['failed checks at most 0 %'], ['p95 response time under 500 ms']])
    expect(button('Add gate')).toBeUndefined()
  })

  it('are read, and not changed, by readers', async () => {
    list({ mayWrite: false })
    await pick('300 ms')

    expect(isOpen()).toBe(false)
    expect(page().findComponent(AddMenu).exists()).toBe(false)
    expect(page().find('[aria-label^="Remove"]').exists()).toBe(false)
  })
})
