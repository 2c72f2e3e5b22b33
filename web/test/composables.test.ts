// What pages hold between a person and the server: edits of a plan's parts, and saving over somebody else's text.
import { readPlan, pathOfLine, treeOf, type Edit, type Path } from '@jolt-gate/core'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { computed, defineComponent, h, ref, shallowRef } from 'vue'
import { api } from '../src/api/client.js'
import type { PlanText } from '@jolt-gate/core/api'
import { partOf } from '../src/plan/form/use-form.js'
import { useParts } from '../src/plan/use-parts.js'
import type { PlanView } from '../src/plan/plan.worker.js'
import { useSaving } from '../src/plan/use-saving.js'
import { choicesFor, usualGates } from '../src/plan/use-gates.js'
import { wordsOfGate } from '../src/plan/gate-words.js'

const PLAN = `jolt: 1
name: x
target: http://127.0.0.1:1
journeys:
  look:
    steps:
      - group: page
        steps:
          - send: GET /a
            name: search
load:
  - { phase: steady, rate: 1/s, for: 10s }
  - { phase: climb, rate: 1/s to 9/s, for: 10s }
  - { phase: pause, rest: 5s }
gates:
  - failed requests at most 1 %
  - rule: p95 response time of "search" during steady under 300 ms
    stop: after 5 breached seconds
`
const { plan } = readPlan('a.gate.yaml', PLAN, { files: () => undefined })

describe('parts of a plan', () => {
  const made = () => {
    const edits: Edit[] = []
    const selected: Path[] = []
    const tree = treeOf(PLAN)
    // Only the plan is asked of the view.
    const view = shallowRef({ plan } as PlanView)
    const parts = useParts({
      view,
      edit: (edit) => edits.push(edit),
      pathAt: (line) => partOf(pathOfLine(tree, line)),
      select: (path) => selected.push(path),
    })
    return { edits, parts, selected }
  }
  const [steady, climb, pause] = plan.load.phases
  const [plain, stopping] = plan.gates
  if (!steady || !climb || !pause || !plain || !stopping) throw new Error('the plan was not read')

  it('are changed where they stand: a gate with a stop rule in its rule, a rest in its own key', () => {
    const { edits, parts } = made()
    parts.changeRule(plain, 'failed requests at most 2 %')
    parts.changeRule(stopping, 'p95 response time under 1 s')
    parts.changeLength(steady, 90)
    parts.changeLength(pause, 7)
    parts.changeRate(steady, 3, 3)
    parts.changeRate(climb, 2, 8)
    parts.removeGate(stopping)
    expect(edits).toEqual([
      { kind: 'set', path: ['gates', 0], value: 'failed requests at most 2 %' },
      { kind: 'set', path: ['gates', 1, 'rule'], value: 'p95 response time under 1 s' },
      { kind: 'set', path: ['load', 0, 'for'], value: '1m 30s' },
      { kind: 'set', path: ['load', 2, 'rest'], value: '7s' },
      { kind: 'set', path: ['load', 0, 'rate'], value: '3/s' },
      { kind: 'set', path: ['load', 1, 'rate'], value: '2/s to 8/s' },
      { kind: 'remove', path: ['gates', 1] },
    ])
  })

  it('a phase that is added has a name that no other has', () => {
    const { edits, parts } = made()
    parts.addPhase()
    expect(edits).toMatchObject([{ kind: 'insert', list: ['load'], value: { phase: 'steady 2' } }])
  })

  it('a word of a gate may become any word that the plan knows there', () => {
    const choices = (kind: string) =>
      wordsOfGate(stopping).flatMap((word) => (word.kind === kind ? choicesFor(word, stopping, plan, null) : []))
    expect(choices('name')).toEqual(['"search"'])
    expect(choices('phase')).toEqual(['steady', 'climb', 'pause'])
    expect(choices('comparison')).toContain('at least')
    expect(choices('measure')).toContain('capped arrivals')
    expect(choices('measure')).toContain('p95 response time')
    expect(usualGates(plan)).not.toContain('failed requests at most 1 %')
  })
})

describe('saving', () => {
  beforeEach(() => {
    setActivePinia(createPinia())
  })
  afterEach(() => vi.unstubAllGlobals())

  /** A page with a plan that is open, before a server that answers every request so. */
  function pageWith(status: number, body: unknown) {
    vi.stubGlobal('fetch', () => Promise.resolve(new Response(JSON.stringify(body), { status })))
    const run = vi.fn(() => Promise.resolve())
    const text = ref('mine')
    const opened = shallowRef<PlanText>({ ...OPENED })
    const state = {
      opened,
      text,
      view: shallowRef<PlanView>(),
      changedLines: computed(() => 1),
      load: () => Promise.resolve(),
      async save(message: string) {
        const { base } = opened.value
        opened.value = { ...opened.value, ...(await api.savePlan(1, 'a', { text: text.value, message, base })) }
      },
      rebase(current: string, base: string) {
        opened.value = { ...opened.value, text: current, base }
      },
      readFiles: () => Promise.resolve(),
    }
    const made: ReturnType<typeof useSaving>[] = []
    const page = mount(
      defineComponent({
        setup() {
          made.push(useSaving({ project: ref(1), file: ref('a'), state, run }))
          return () => h('p')
        },
      }),
      {
        global: {
          plugins: [[VueQueryPlugin, { queryClientConfig: { defaultOptions: { queries: { retry: false } } } }]],
        },
      },
    )
    const [saving] = made
    if (saving === undefined) throw new Error('nothing was set up')
    return { page, saving, text, opened, run }
  }
  const OPENED: PlanText = {
    file: 'a',
    text: 'old',
    base: 'b1',
    committed: 'old',
    files: {},
    history: { journeyMs: {}, held: [], observed: {} },
    commit: 'c',
    branch: 'main',
    dirty: false,
  }
  const CHANGED = {
    type: 'about:blank',
    title: 'x',
    detail: 'it has changed',
    code: 'CHANGED',
    status: 409,
    current: 'theirs',
    base: 'b2',
  }

  it('runs after it only where that was asked, and only when it went well', async () => {
    const { page, saving, run } = pageWith(200, { file: 'a', base: 'b2', commit: 'd', branch: 'main', dirty: false })
    saving.ask(false)
    await saving.save('why')
    expect([saving.isOpen.value, saving.fault.value, run.mock.calls.length]).toEqual([false, '', 0])
    saving.ask(true)
    await saving.save('why')
    expect(run).toHaveBeenCalledOnce()
    page.unmount()

    const refused = pageWith(400, {
      type: 'about:blank',
      title: 'x',
      detail: 'write a message',
      code: 'BAD_FIELD',
      status: 400,
    })
    refused.saving.ask(true)
    await refused.saving.save('')
    expect([refused.saving.isOpen.value, refused.saving.fault.value]).toEqual([true, 'write a message'])
    expect(refused.run).not.toHaveBeenCalled()
    refused.page.unmount()
  })

  it.each(['mine', 'theirs'] as const)(
    'over a file that has changed loses neither text: %s is taken',
    async (whose) => {
      const { page, saving, text, opened } = pageWith(409, CHANGED)
      saving.ask(false)
      await saving.save('why')
      expect(saving.theirs.value).toEqual({ text: 'theirs', base: 'b2' })
      expect(text.value).toBe('mine')

      if (whose === 'mine') saving.keepMine()
      else saving.takeTheirs()

      expect(text.value).toBe(whose)
      expect(opened.value).toMatchObject({ text: 'theirs', base: 'b2' })
      expect(saving.theirs.value).toBeUndefined()
      page.unmount()
    },
  )

  it('merges two changes; where both touched a line, one, the other or both is taken', async () => {
    const before = 'name: A\ntarget: here\nload: 1\ngates: 2\n'
    const theirs = before.replace('load: 1', 'load: 9')
    const { page, saving, text, opened } = pageWith(409, { ...CHANGED, current: theirs })
    opened.value = { ...opened.value, text: before }
    text.value = before.replace('name: A', 'name: B')
    await saving.save('why')
    expect(saving.conflicts.value).toBe(0)
    saving.mergeBoth([])
    expect(text.value).toBe('name: B\ntarget: here\nload: 9\ngates: 2\n')
    expect(opened.value).toMatchObject({ text: theirs, base: 'b2' })

    opened.value = { ...opened.value, text: before }
    text.value = before.replace('load: 1', 'load: 5')
    await saving.save('why')
    const place = saving.parts.value.find(({ kind }) => kind === 'both')
    expect(place).toEqual({ kind: 'both', mine: ['load: 5'], theirs: ['load: 9'] })
    saving.mergeBoth([['load: 5', 'load: 9']])
    expect(text.value).toBe('name: A\ntarget: here\nload: 5\nload: 9\ngates: 2\n')
    page.unmount()
  })

  it('shows that the file was changed elsewhere while it is open, before anything is saved', async () => {
    const { page, saving, text } = pageWith(200, { ...OPENED, text: 'theirs', base: 'b2' })
    await expect.poll(() => saving.theirs.value).toEqual({ text: 'theirs', base: 'b2' })
    expect(text.value).toBe('mine')
    page.unmount()
  })

  it('keeps the text when the server is away, and says so', async () => {
    const { page, saving, text } = pageWith(200, {})
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('refused')))
    saving.ask(false)
    await saving.save('why')
    expect(saving.fault.value).toBe('The server does not answer. Is it running?')
    expect(text.value).toBe('mine')
    page.unmount()
  })
})
