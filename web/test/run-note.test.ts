// What people say of a run: shown as they wrote it, and never as anything that runs.
import { flushPromises, mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import type { RunDetail } from '@jolt-gate/core/api'
import { ElSelect } from 'element-plus'
import { api, ApiError } from '../src/api/client.js'
import RunNote from '../src/run/RunNote.vue'
import { button, pageAround, press } from './page.js'

const { options } = pageAround()
const run = (over: Partial<RunDetail>) => ({ id: 'r1', note: null, labels: {}, ...over }) as unknown as RunDetail
const shown = (over: Partial<RunDetail>, isOpen = false) =>
  mount(RunNote, { ...options, props: { run: run(over), modelValue: isOpen } })
const field = (label: string) => {
  const found = document.querySelector<HTMLTextAreaElement>(`textarea[aria-label^="${label}"]`)
  if (found === null) throw new Error(`there is no field ${label}`)
  return found
}
async function write(label: string, value: string): Promise<void> {
  const area = field(label)
  area.value = value
  area.dispatchEvent(new Event('input'))
  await flushPromises()
}
async function opened(over: Partial<RunDetail>) {
  const wrapper = shown(over)
  await wrapper.setProps({ modelValue: true })
  await flushPromises()
  return wrapper
}

describe('the note of a run', () => {
  it('is Markdown, of which nothing can run or load', () => {
    const note =
      '**Pool** grew\n\n<img src=x onerror=alert(1)> [here](javascript:alert(1)) ![x](http://a.example/p.png)'
    const html = shown({ note }).find('.note').html()

    expect(html).toContain('<strong>Pool</strong>')
    expect(html).not.toMatch(/<img|href="javascript|<script/)
  })

  it('is written with its labels, and says which is none', async () => {
    const save = vi.spyOn(api, 'describeRun').mockResolvedValue({} as never)
    const wrapper = await opened({ note: 'Before', labels: { build: '209' } })
    const choice = wrapper.findComponent(ElSelect)
    expect([field('Note').value, choice.props('modelValue')]).toEqual(['Before', ['build=209']])

    choice.vm.$emit('update:modelValue', ['build=210', 'no label'])
    await flushPromises()
    expect(document.querySelector('[role=alert]')?.textContent).toContain('"no label": expected name=value')
    expect(button('Save')?.disabled).toBe(true)

    choice.vm.$emit('update:modelValue', ['build=210', ' tier=staging '])
    await write('Note', '  ')
    await press('Save')

    expect(save).toHaveBeenCalledWith('r1', null, ['build=210', 'tier=staging'])
    expect(wrapper.emitted('changed')).toHaveLength(1)
    expect(wrapper.emitted('update:modelValue')).toEqual([[false]])
  })

  it('stays open with its text where the server refuses', async () => {
    const problem = { type: 'about:blank', title: 'Refused', status: 403, code: 'ROLE', detail: 'readers read' }
    vi.spyOn(api, 'describeRun').mockRejectedValue(new ApiError(problem))
    const wrapper = await opened({})
    await write('Note', 'Kept')
    await press('Save')

    expect(document.querySelector('[role=alert]')?.textContent).toBe('readers read')
    expect([field('Note').value, wrapper.emitted('changed')]).toEqual(['Kept', undefined])
  })

  it('takes no room where nobody said anything', () => {
    expect(shown({}).find('.said').exists()).toBe(false)
    expect(shown({ labels: { build: '209' } }).text()).toContain('build=209')
  })
})
