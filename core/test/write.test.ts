// Edits of a plan's text by the form: what they change, and that they change nothing else.
import { readdirSync, readFileSync } from 'node:fs'
import {
  applyChanges,
  completionsAt,
  editText,
  formatSchema,
  planChanges,
  renameInText,
  type Renamed,
  meaningAt,
  readPlan,
  nodeAt,
  treeOf,
  type Edit,
  type Path,
  type TreeNode,
  type Written,
} from '@jolt-gate/core'
import { Ajv2020 } from 'ajv/dist/2020.js'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'

const demo = new URL('../../demo/plans/', import.meta.url)
const plans = readdirSync(demo).map((name) => readFileSync(new URL(name, demo), 'utf8'))
const FILE = 'plans/test.gate.yaml'
const edited = (text: string, edit: Edit) => applyChanges(text, editText(FILE, text, edit))

const PLAN = `jolt: 1
name: Test # the name
target: here

journeys:
  look:
    weight: 7
    steps:
      # the search
      - send: GET /sailings
        name: search
        check:
          - status is 200
      - wait: 1s
      - group: checkout
        steps:
          - send: POST /holds
            json: { sailing: "{sailing}", people: 2 }

load:
  - { phase: peak, rate: 5/s, for: 30s }

gates:
  - failed requests at most 1 %
`

describe('an edit', () => {
  it('changes one value and leaves the comment beside it', () => {
    expect(edited(PLAN, { kind: 'set', path: ['name'], value: 'Summer: it opens' })).toBe(
      PLAN.replace('name: Test #', "name: 'Summer: it opens' #").replace("'Summer: it opens'", '"Summer: it opens"'),
    )
    expect(edited(PLAN, { kind: 'set', path: ['load', 0, 'rate'], value: '2/s to 40/s' })).toBe(
      PLAN.replace('rate: 5/s', 'rate: 2/s to 40/s'),
    )
  })

  it('puts a new key where the format has it, with the blank lines of the file', () => {
    const keep = edited(PLAN, {
      kind: 'set',
      path: ['journeys', 'look', 'steps', 0, 'keep', 'sailing'],
      value: 'json $.id',
    })
    expect(keep).toContain('          - status is 200\n        keep:\n          sailing: json $.id\n      - wait: 1s')
    const setup = edited(PLAN, { kind: 'insert', list: ['setup'], index: 0, value: { send: 'POST /sessions' } })
    expect(setup).toContain('target: here\n\nsetup:\n  - send: POST /sessions\n\njourneys:')
  })

  it('writes what YAML would misread in quotes, and sentences without where it can', () => {
    const gate = 'p95 response time of "search" during peak under 300 ms'
    expect(edited(PLAN, { kind: 'insert', list: ['gates'], index: 1, value: gate })).toContain(`  - ${gate}\n`)
    const check = 'json $.a is "b: c"'
    expect(
      edited(PLAN, { kind: 'insert', list: ['journeys', 'look', 'steps', 0, 'check'], index: 0, value: check }),
    ).toContain(`          - 'json $.a is "b: c"'\n          - status is 200`)
    expect(
      edited(PLAN, { kind: 'set', path: ['journeys', 'look', 'steps', 0, 'query'], value: { id: '{sailing}' } }),
    ).toContain('query: { id: "{sailing}" }')
  })

  it('moves a step with its comment into a group, and takes the group’s margin', () => {
    const group: Path = ['journeys', 'look', 'steps', 2, 'steps']
    expect(edited(PLAN, { kind: 'move', path: ['journeys', 'look', 'steps', 0], list: group, index: 1 })).toContain(
      `            json: { sailing: "{sailing}", people: 2 }
          # the search
          - send: GET /sailings
            name: search
            check:
              - status is 200

load:`,
    )
  })

  it('removes the key of a list with its last item, and the dash stays with the keys that are left', () => {
    expect(edited(PLAN, { kind: 'remove', path: ['gates', 0] })).not.toContain('gates')
    expect(edited(PLAN, { kind: 'remove', path: ['journeys', 'look', 'steps', 0, 'send'] })).toContain(
      '      - name: search\n',
    )
  })

  it('doubles, renames keys, and cuts parts of lists and maps on one line', () => {
    expect(edited(PLAN, { kind: 'duplicate', path: ['journeys', 'look', 'steps', 1] })).toContain(
      '      - wait: 1s\n      - wait: 1s\n',
    )
    expect(edited(PLAN, { kind: 'duplicate', path: ['journeys', 'look'], key: 'look 2' })).toMatch(
      /\n {2}look 2:\n {4}weight: 7\n/,
    )
    expect(edited(PLAN, { kind: 'rename key', path: ['journeys', 'look'], to: 'look: around' })).toContain(
      '  "look: around":\n',
    )
    expect(edited(PLAN, { kind: 'remove', path: ['load', 0, 'for'] })).toContain('{ phase: peak, rate: 5/s }')
    expect(edited(PLAN, { kind: 'remove', path: ['load', 0, 'phase'] })).toContain('{ rate: 5/s, for: 30s }')
    const listed = 'values:\n  fare: { pick: [adult, child], weights: [6, 3] }\n'
    expect(edited(listed, { kind: 'insert', list: ['values', 'fare', 'pick'], index: 1, value: 'senior' })).toContain(
      '[adult, senior, child]',
    )
    expect(edited(listed, { kind: 'remove', path: ['values', 'fare', 'weights', 1] })).toContain('weights: [6]')
    expect(edited('', { kind: 'set', path: ['name'], value: 'New' })).toBe('name: New\n')
  })

  it('writes texts of several lines as blocks, and JSON with its numbers', () => {
    const step: Path = ['journeys', 'look', 'steps', 0]
    expect(edited(PLAN, { kind: 'set', path: [...step, 'text'], value: 'one\ntwo\n' })).toContain(
      '        text: |\n          one\n          two\n',
    )
    expect(
      edited(PLAN, { kind: 'set', path: [...step, 'json'], value: { a: 1, b: '1', c: null, d: [true] } }),
    ).toContain('json: { a: 1, b: "1", c: null, d: [true] }')
  })

  const paths = (node: TreeNode, path: Path = []): Path[] => [
    path,
    ...(node.kind === 'map'
      ? node.entries.flatMap(({ key, value }) => (value === null ? [] : paths(value, [...path, key])))
      : []),
    ...(node.kind === 'list' ? node.items.flatMap((item, index) => paths(item, [...path, index])) : []),
  ]
  const dataOf = (node: TreeNode | null | undefined): unknown =>
    node === null || node === undefined
      ? null
      : node.kind === 'scalar'
        ? node.text
        : node.kind === 'list'
          ? node.items.map(dataOf)
          : Object.fromEntries(node.entries.map(({ key, value }) => [key, dataOf(value)]))
  const comments = (text: string) => [...text.matchAll(/(?<=^|\s)# .*$/gm)].map(([found]) => found)

  it('gives the data that the same change of the data gives, and keeps every comment', () => {
    const value = fc.oneof<fc.Arbitrary<Written>[]>(
      fc
        .string({ unit: 'grapheme', minLength: 1, maxLength: 20 })
        .filter((text) => !/[\p{Cc}\ufeff\u2028\u2029]/u.test(text)),
      fc.constantFrom(
        '{sailing}',
        'status is 200',
        'a: b',
        '# c',
        '1.10',
        'yes',
        '- x',
        '*a',
        '&b',
        '',
        ' ',
        '"q"',
        "it's",
      ),
    )
    fc.assert(
      fc.property(
        fc.nat(plans.length - 1),
        fc.nat(500),
        fc.nat(500),
        value,
        fc.constantFrom('set', 'add', 'insert', 'move'),
        (plan, first, second, value, kind) => {
          const text = plans[plan] ?? ''
          const tree = treeOf(text)
          if (tree === undefined) throw new Error('no tree')
          const all = paths(tree)
          const pick = (kinds: TreeNode['kind'][], number: number) => {
            const fit = all.filter((path) => kinds.includes(nodeAt(tree, path)?.kind ?? 'scalar') && path.length > 0)
            return fit[number % fit.length] ?? []
          }
          const expected = structuredClone(dataOf(tree)) as Record<string, never>
          type Data = Record<string | number, unknown> & unknown[]
          const at = (path: Path) =>
            path.reduce<unknown>((data, part) => (data as Data)[part as number], expected) as Data
          let edit: Edit
          if (kind === 'set') {
            const path = pick(['scalar'], first)
            edit = { kind: 'set', path, value }
            at(path.slice(0, -1))[path.at(-1) as never] = value
          } else if (kind === 'add') {
            const path = pick(['map'], first)
            edit = { kind: 'set', path: [...path, 'added'], value }
            at(path)['added' as never] = value
          } else if (kind === 'insert') {
            const list = pick(['list'], first)
            const index = second % (at(list).length + 1)
            edit = { kind: 'insert', list, index, value }
            at(list).splice(index, 0, value)
          } else {
            const list = pick(['list'], first)
            const [from, index] = [second % at(list).length, (second >> 3) % (at(list).length + 1)]
            const isFlow = text[nodeAt(tree, list)?.from ?? 0] === '['
            edit = { kind: 'move', path: [...list, from], list, index }
            if (!isFlow) {
              const [moved] = at(list).splice(from, 1)
              at(list).splice(index > from ? index - 1 : index, 0, moved)
            }
          }

          const after = edited(text, edit)

          expect(dataOf(treeOf(after))).toEqual(expected)
          expect(comments(after)).toEqual(expect.arrayContaining(comments(text)))
        },
      ),
      { numRuns: 400 },
    )
  })
})

describe('at the cursor', () => {
  const around = (text: string) => {
    const { plan, target } = readPlan(FILE, text, { files: () => 'origin: http://127.0.0.1:1\nsecrets: [password]\n' })
    return { plan, target: target ?? null, files: ['steps/search.steps.yaml', 'targets/harbour.target.yaml'] }
  }
  const offered = (text: string) => {
    const offset = text.indexOf('|')
    const found = completionsAt(FILE, text.replace('|', ''), offset, around(PLAN))
    return found?.options.map(({ label }) => label) ?? []
  }
  const withStep = (lines: string) => `journeys:\n  a:\n    steps:\n      - send: GET /x\n${lines}`

  it.each([
    ['keys of the plan that are not there yet', 'jolt: 1\nna|', 'name', 'jolt'],
    ['kinds of steps', 'journeys:\n  a:\n    steps:\n      - |', 'group', 'name'],
    ['keys of the very step', withStep('        |'), 'check', 'send'],
    ['keys of a phase on one line', 'load:\n  - { phase: x, |', 'rate', 'phase'],
    ['words of a switch', 'load:\n  - { phase: x, measure: |', 'no', 'rate'],
    ['files of shared steps', 'journeys:\n  a:\n    steps:\n      - use: |', 'steps/search.steps.yaml', 'send'],
    ['targets', 'target: |', 'harbour', 'origin'],
    ['the words of a sentence', 'gates:\n  - p95 resp|', 'response time', 'requests'],
    ['steps in a gate', 'gates:\n  - p95 response time of |', '"search"', '"wait"'],
    ['phases in a gate', 'gates:\n  - p95 response time during |', 'peak', 'under'],
    ['values in braces', withStep('        json: { a: "{se|'), 'secret.password', 'status'],
  ])('offers %s', (_, text, there, absent) => {
    expect(offered(text)).toContain(there)
    expect(offered(text)).not.toContain(absent)
  })

  it('tells what a key means', () => {
    expect(meaningAt(FILE, PLAN, PLAN.indexOf('weight'))).toMatchObject({ key: 'weight', example: '3' })
    expect(meaningAt(FILE, PLAN, PLAN.indexOf('rate:'))?.about).toMatch(/arrivals per second/)
    expect(meaningAt(FILE, PLAN, PLAN.indexOf('look'))).toBeUndefined()
  })

  it('never fails, wherever it stands in a text that is cut anywhere', () => {
    fc.assert(
      fc.property(fc.nat(plans.length - 1), fc.nat(5000), fc.nat(5000), (plan, cut, place) => {
        const text = (plans[plan] ?? '').slice(0, cut)
        completionsAt(FILE, text, Math.min(place, text.length), around(PLAN))
        meaningAt(FILE, text, Math.min(place, text.length))
      }),
      { numRuns: 150 },
    )
  })
})

// The schema is read by a library as JSON Schema 2020-12, and takes what the reader takes.
describe('the published schema', () => {
  const validate = new Ajv2020({ strict: false }).compile(formatSchema('plan'))
  it('takes every plan of the demo, and refuses an unknown key', () => {
    for (const text of plans) expect([validate(parse(text)), validate.errors]).toEqual([true, null])
    expect(validate({ ...(parse(PLAN) as object), gate: [] })).toBe(false)
    expect(validate(parse(PLAN.replace('GET /sailings', 'FETCH /sailings')))).toBe(false)
  })
})

describe('a fix', () => {
  it.each([
    ['gates:\n  - p95 response time undr 300 ms\n', 'under'],
    ['gtes: []\n', 'gates'],
    ['mix: drwn\n', 'drawn'],
    ['setup:\n  - send: GET /{nam}\n    with: { name: x }\n', 'name'],
    ['setup:\n  - send: GET /x\n    text: {name}\n    with: { name: x }\n', '"{name}"'],
  ])('mends %j', (lines, wanted) => {
    const text = PLAN.replace(/gates:[^]*$/, lines)
    const { problems } = readPlan(FILE, text, { files: () => 'origin: http://127.0.0.1:1\n' })
    const problem = problems.find(({ fix }) => fix !== undefined)
    const from =
      text
        .split('\n')
        .slice(0, (problem?.line ?? 1) - 1)
        .join('\n').length + (problem?.column ?? 0)
    const mended = applyChanges(text, [
      { from, to: from + (problem?.fix?.length ?? 0), insert: problem?.fix?.text ?? '' },
    ])

    expect(problem?.fix?.text).toBe(wanted)
    const { problems: left } = readPlan(FILE, mended, { files: () => 'origin: http://127.0.0.1:1\n' })
    expect(left.map(({ message }) => message)).not.toContain(problem?.message)
  })
})

describe('a new name', () => {
  const text = `${PLAN}  - p95 response time of "search" during peak under 300 ms\n  - p95 group time of "checkout" under 2 s\n`
  const renamed = (kind: Renamed, before: string, after: string) =>
    applyChanges(text, renameInText(text, kind, before, after))

  it('is taken by a step and the gates about it, and by nothing else of that name', () => {
    const after = renamed('step', 'search', 'find a sailing')
    expect(after).toContain('name: find a sailing\n')
    expect(after).toContain('of "find a sailing" during peak')
    expect(after).toContain('# the search')
  })

  it('is taken by groups, journeys, phases and values where they are used', () => {
    expect(renamed('group', 'checkout', 'pay')).toMatch(/- group: pay\n[^]*group time of "pay" under/)
    expect(renamed('phase', 'peak', 'rush hour')).toMatch(/phase: rush hour,[^]*during "rush hour" under/)
    expect(renamed('journey', 'look', 'look around')).toContain('  look around:\n')
    expect(renamed('value', 'sailing', 'crossing')).toContain('{ sailing: "{crossing}", people: 2 }')
  })
})

describe('what changed', () => {
  const planOf = (text: string) => readPlan(FILE, text, { files: () => 'origin: http://127.0.0.1:1\n' }).plan
  const told = (...swaps: [string, string][]) =>
    planChanges(planOf(PLAN), planOf(swaps.reduce((text, [before, after]) => text.replace(before, after), PLAN))).map(
      ({ words }) => words,
    )

  it('is told in the words of the plan', () => {
    expect(told(['at most 1 %', 'at most 0.5 %'])).toEqual([
      'gate tightened from 1 % to 0.5 %: failed requests at most 0.5 %',
    ])
    expect(told(['at most 1 %', 'at most 2 %'])[0]).toMatch(/^gate loosened/)
    expect(told(['weight: 7', 'weight: 4'])).toEqual(['weight of look 7 to 4'])
    expect(told(['rate: 5/s, for: 30s', 'rate: 5/s to 9/s, for: 1m'])).toEqual([
      'phase peak: 5/s for 30 s to 5/s to 9/s for 60 s',
    ])
    expect(told(['name: search', 'name: find'])).toEqual([
      'step of "look" added: find',
      'step of "look" removed: search',
    ])
    expect(told(['status is 200', 'status is 201'])).toEqual(['step of "look" changed: search'])
    expect(told(['wait: 1s', 'wait: 2s'])).toEqual(['waits of "look" changed'])
    expect(told()).toEqual([])
  })
})

describe('what is switched off', () => {
  const stepsOf = (text: string) => readPlan(FILE, text, { files: () => 'origin: http://127.0.0.1:1\n' })

  it('is left out, and read all the same', () => {
    const off = stepsOf(PLAN.replace('      - wait: 1s\n', '      - wait: 1s\n        off: yes\n'))
    expect(off.plan.journeys[0]?.steps.map(({ kind }) => kind)).toEqual(['send', 'group'])
    const wrong = stepsOf(PLAN.replace('      - wait: 1s\n', '      - wait: 1x\n        off: yes\n'))
    expect(wrong.problems[0]).toMatchObject({ line: 14, code: 'SENTENCE' })
    const journey = stepsOf(
      PLAN.replace('load:', '  other:\n    off: yes\n    steps:\n      - send: GET /other\n\nload:'),
    )
    expect(journey.plan.journeys.map(({ name }) => name)).toEqual(['look'])
  })
})
