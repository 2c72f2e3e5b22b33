// Sign-in, people, and what a target asks of an administrator.
import { flushPromises, mount } from '@vue/test-utils'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Session, TargetLine } from '@jolt-gate/core/api'
import { api, ApiError } from '../src/api/client.js'
import { findable } from '../src/find/findable.js'
import AccountPage from '../src/people/AccountPage.vue'
import SignInPage from '../src/people/SignInPage.vue'
import { useSession } from '../src/stores/session.js'
import TargetControl from '../src/targets/TargetControl.vue'
import TargetSecrets from '../src/targets/TargetSecrets.vue'

const somebody = (role: 'reader' | 'author' | 'administrator'): Session => ({
  kind: 'somebody',
  person: { id: 1, name: 'Ida Quay', email: 'ida@larkholm.example', role },
  csrf: 'c',
})
const refused = new ApiError({
  type: 'about:blank',
  title: 'Refused',
  status: 403,
  code: 'WRONG_CODE',
  detail: 'this is not the setup code',
})
const target = (over: Partial<TargetLine> = {}): TargetLine => ({
  name: 'harbour',
  file: 'targets/harbour.target.yaml',
  text: '',
  base: 'b',
  target: null,
  problems: [],
  secrets: [
    { name: 'user', from: 'store' },
    { name: 'password', from: 'nowhere' },
  ],
  isLoopback: true,
  fault: null,
  ...over,
})

beforeEach(() => {
  setActivePinia(createPinia())
})
afterEach(() => {
  vi.restoreAllMocks()
  document.body.innerHTML = ''
})

describe('signing in', () => {
  const page = (session: Session) => {
    useSession().become(session)
    return mount(SignInPage, { attachTo: document.body })
  }
  const labels = (wrapper: ReturnType<typeof page>) => wrapper.findAll('label').map((label) => label.text())

  it('asks the first person of all for the setup code, and nobody else', async () => {
    const first = page({ kind: 'first', isDemo: false })
    await flushPromises()
    expect(labels(first).join()).toContain('Setup code')
    const other = page({ kind: 'signed out', isDemo: false, hasPasswords: true, provider: null })
    await flushPromises()
    expect(labels(other).join()).toMatch(/Email.*Password/)
    expect(labels(other).join()).not.toContain('Setup code')
  })

  it('sends the code with the first account, and shows a refusal in the words of the server', async () => {
    const asked = vi.spyOn(api, 'signUpFirst').mockRejectedValue(refused)
    const wrapper = page({ kind: 'first', isDemo: false })
    const values = ['Ida Quay', 'ida@larkholm.example', 'ten letters and more', 'AAAA-BBBB-CCCC']
    for (const [index, input] of wrapper.findAll('input').entries()) await input.setValue(values[index])

    await wrapper.find('form').trigger('submit')
    await flushPromises()

    expect(asked).toHaveBeenCalledWith(expect.objectContaining({ code: 'AAAA-BBBB-CCCC', name: 'Ida Quay' }))
    expect(wrapper.find('[role=alert]').text()).toBe('this is not the setup code')
  })

  it('offers the demo where there is one', () => {
    expect(page({ kind: 'signed out', isDemo: true, hasPasswords: true, provider: null }).text()).toContain(
      'Enter the demo',
    )
    expect(page({ kind: 'signed out', isDemo: false, hasPasswords: true, provider: null }).text()).not.toContain(
      'Enter the demo',
    )
  })
})

describe('an account', () => {
  const page = async () => {
    useSession().become(somebody('reader'))
    vi.spyOn(api, 'tokens').mockResolvedValue({ tokens: [] })
    const wrapper = mount(AccountPage, {
      attachTo: document.body,
      global: { stubs: { PeopleTabs: true }, plugins: [VueQueryPlugin] },
    })
    await flushPromises()
    return wrapper
  }
  const send = async (wrapper: Awaited<ReturnType<typeof page>>, form: number) => {
    await wrapper.findAll('form')[form]?.trigger('submit')
    await flushPromises()
  }

  it('shows a new token once, and it is gone when it has been copied', async () => {
    const wrapper = await page()
    const asked: unknown[] = []
    vi.spyOn(api, 'createToken').mockImplementation((token) => {
      asked.push({ ...token })
      return Promise.resolve({ id: 1, token: 'jgt_once' })
    })

    await send(wrapper, 0)
    await expect.poll(() => wrapper.text()).toContain('enter what the token is for')
    await wrapper.find('form input').setValue('pipeline')
    await send(wrapper, 0)

    expect(asked).toMatchObject([{ label: 'pipeline', scopes: ['read'] }])
    expect(wrapper.find('[role=status]').text()).toContain('jgt_once')
    await wrapper.find('[role=status] button').trigger('click')
    expect(wrapper.text()).not.toContain('jgt_once')
  })

  it('changes its password only when the present one is right, and says so at the form', async () => {
    const wrapper = await page()
    const changed = vi.spyOn(api, 'changePassword').mockRejectedValueOnce(refused).mockResolvedValue(undefined)
    const inputs = wrapper.findAll('input[type=password]')

    await inputs[0]?.setValue('old one')
    await inputs[1]?.setValue('short')
    await send(wrapper, 1)
    await expect.poll(() => wrapper.text()).toContain('at least 10 characters')
    await inputs[1]?.setValue('long enough now')
    await send(wrapper, 1)
    expect(wrapper.find('.fault').text()).toBe('this is not the setup code')
    await send(wrapper, 1)

    expect(changed).toHaveBeenCalledTimes(2)
    expect(wrapper.text()).toContain('The password was changed')
  })
})

describe('secrets of a target', () => {
  it('are named with where their value comes from, and written by administrators alone', () => {
    useSession().become(somebody('author'))
    const author = mount(TargetSecrets, { props: { project: 1, target: target() } })
    expect(author.text()).toContain('stored, encrypted')
    expect(author.text()).toContain('missing')
    expect(author.findAll('button')).toHaveLength(0)

    useSession().become(somebody('administrator'))
    const administrator = mount(TargetSecrets, { props: { project: 1, target: target() } })
    expect(administrator.findAll('button').map((button) => button.text())).toEqual(['write', 'forget', 'write'])
  })

  it('leave the page when they are stored', async () => {
    useSession().become(somebody('administrator'))
    const stored = vi.spyOn(api, 'storeSecret').mockResolvedValue(undefined)
    const wrapper = mount(TargetSecrets, { props: { project: 1, target: target() } })
    await wrapper.find('button').trigger('click')
    await wrapper.find('input').setValue('low-tide-77')

    await wrapper.find('form').trigger('submit')
    await flushPromises()

    expect(stored).toHaveBeenCalledWith(1, 'harbour', 'user', 'low-tide-77')
    expect(wrapper.emitted('changed')).toHaveLength(1)
    expect(wrapper.find('input').exists()).toBe(false)
  })
})

describe('the permission of a target', () => {
  const far = target({ isLoopback: false, fault: 'the permission ended on 2026-01-01' })

  it('is no matter on loopback, and says why a target may not be loaded elsewhere', () => {
    const near = mount(TargetControl, { props: { project: 1, target: target() } })
    expect(near.text()).toContain('may be loaded freely')

    expect(mount(TargetControl, { props: { project: 1, target: far } }).text()).toContain('ended on 2026-01-01')
  })
})

describe('what can be found from anywhere', () => {
  it('is what still answers, when a part of the server does not', async () => {
    vi.spyOn(api, 'plans').mockRejectedValue(refused)
    vi.spyOn(api, 'runs').mockRejectedValue(refused)
    vi.spyOn(api, 'targets').mockResolvedValue({ targets: [target()], commit: null, branch: null, dirty: false })

    const found = await findable(1)

    expect(found.filter(({ kind }) => kind === 'target').map(({ label }) => label)).toEqual(['harbour'])
    expect(found.map(({ label }) => label)).toContain('Import a plan')
    expect(await findable(undefined)).toHaveLength(3)
  })
})
