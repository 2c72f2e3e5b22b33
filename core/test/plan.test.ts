import { describe, expect, it } from 'vitest'
import fc from 'fast-check'
import { readPlan } from '../src/index.js'
import { firstProblem, placeOf, planText, read } from './reading.js'

describe('a plan', () => {
  it('needs five keys; all else has a default', () => {
    const { plan, target, problems } = read(planText({}))

    expect(problems).toEqual([])
    expect(plan).toMatchObject({ seed: 1, load: { drainMs: 30_000 }, journeys: [{ name: 'look around', weight: 1 }] })
    expect(plan.journeys[0]?.steps[0]).toMatchObject({
      kind: 'send',
      method: 'GET',
      url: '/sailings',
      timeoutMs: 30_000,
      redirects: 5,
    })
    expect(target).toMatchObject({ origin: 'http://127.0.0.1:7710' })
  })

  it('says what is missing', () => {
    const messages = read('jolt: 1\nname: Empty\n').problems.map((problem) => problem.message)

    expect(messages.join('\n')).toMatch(/no journeys/)
    expect(messages.join('\n')).toMatch(/no load/)
    expect(messages.join('\n')).toMatch(/no target/)
  })

  it('names an unknown key with its place and the nearest known word', () => {
    const text = planText({ top: 'sead: 4\n' })

    expect(firstProblem(text)).toEqual({
      code: 'UNKNOWN_KEY',
      at: placeOf(text, 'sead'),
      message: 'the plan has no "sead". Did you mean "seed"?',
    })
  })

  it.each([
    ['a kind of step', 'send: GET /sailings', 'sned: GET /sailings'],
    ['a method', 'GET /sailings', 'GEET /sailings'],
    ['the list of steps', 'steps:', 'step:'],
    ['the load', 'load:', 'laod:'],
    ['the journeys', 'journeys:', 'journey:'],
    ['the rate of a phase', 'rate:', 'rat:'],
  ])('has one error where %s is misspelt, and none for what follows from it', (_, right, wrong) => {
    const gates = '  - p95 response time of "search" under 300 ms'
    expect(read(planText({ gates })).problems).toEqual([])

    const { problems } = read(planText({ gates }).replace(right, wrong))

    expect(problems.map(({ message }) => message)).toEqual([expect.stringContaining('Did you mean')])
  })

  it('reads shared steps in their place, and refuses a ring of them', () => {
    const journeys = '  a:\n    steps:\n      - use: steps/one.steps.yaml'
    const shared = {
      'steps/one.steps.yaml': '- send: GET /one\n- use: steps/two.steps.yaml\n',
      'steps/two.steps.yaml': '- use: steps/one.steps.yaml\n',
    }

    const { plan, problems } = read(planText({ journeys }), shared)

    expect(plan.journeys[0]?.steps).toMatchObject([{ url: '/one', at: { file: 'steps/one.steps.yaml', line: 1 } }])
    expect(problems).toMatchObject([
      { file: 'steps/two.steps.yaml', line: 1, message: 'steps/one.steps.yaml uses itself' },
    ])
  })

  it('refuses a name that no earlier step keeps, at the very name', () => {
    const text = planText({
      journeys:
        '  a:\n    steps:\n      - send: GET /s\n        keep:\n          sailing: json $.id\n      - send: GET /s/{sailng}',
    })

    expect(firstProblem(text)).toMatchObject({
      at: placeOf(text, 'sailng'),
      message: expect.stringContaining('Did you mean "sailing"?') as string,
    })
  })

  it('warns of a target that is not on loopback and has no permission', () => {
    const { problems, hasErrors } = readPlan('x.gate.yaml', planText({}).replace('127.0.0.1:7710', 'ferries.example'), {
      files: () => undefined,
    })

    expect(hasErrors).toBe(false)
    expect(problems).toMatchObject([{ code: 'PERMISSION', severity: 'warning', line: 3 }])
  })

  it('refuses a gate on a step or phase that the plan has not', () => {
    const text = planText({ gates: '  - p95 response time of "serch" during peek under 300 ms' })

    expect(
      read(text).problems.map(({ line, column, message }) => ({ at: `${String(line)}:${String(column)}`, message })),
    ).toEqual([
      { at: placeOf(text, 'serch'), message: 'this plan has no step "serch". Did you mean "search"?' },
      { at: placeOf(text, 'peek'), message: 'this plan has no phase "peek". Did you mean "peak"?' },
    ])
  })

  it.each([
    ['response time under 300 ms', /needs a statistic/],
    ['p95 failed requests at most 1 %', /takes no statistic/],
    ['p100 response time under 1s', /between 0 and 100/],
    ['p95 response time under 300', /needs a time/],
    ['throughput at least 10', /needs a rate/],
    ['p95 respnse time under 1s', /Did you mean "response time"\?/],
    ['failed requests below 1 %', /expected .*"under", "at most"/],
    ['failed requests under 0.01', /write 1 % of all, or a whole number of them such as 1/],
    ['failed requests no more than 1 %', /expected .*"under", "at most"/],
  ])('refuses the gate %s', (gate, message) => {
    expect(firstProblem(planText({ gates: `  - ${gate}` })).message).toMatch(message)
  })

  it('is read without a crash whatever its text', () => {
    const pieces = [
      'jolt: 1\n',
      'load:',
      '  - ',
      '{ rate: 5/s, ',
      'for: 1m }',
      '"',
      "'",
      '[',
      '{',
      ': ',
      '&a ',
      '*a',
      '!!x ',
      '#',
      '\n',
      '\t',
      'gates:',
      'p95 ',
      '\u0000',
      '%',
      '🙂',
    ]
    const text = fc.oneof(
      fc.string(),
      fc.array(fc.constantFrom(...pieces), { maxLength: 60 }).map((parts) => parts.join('')),
    )

    fc.assert(
      fc.property(text, (content) => {
        const { problems, hasErrors } = readPlan('x.gate.yaml', content, { files: () => undefined })
        expect(hasErrors).toBe(true)
        for (const problem of problems) expect(problem.line).toBeGreaterThan(0)
      }),
      { numRuns: 500, seed: 7 },
    )
  })
})

describe('the YAML traps', () => {
  const body = (json: string) => planText({ journeys: `  a:\n    steps:\n      - send: POST /x\n        ${json}` })
  const gate = (sentence: string) => planText({ gates: `  - ${sentence}` })
  const check = (sentence: string) => body(`check:\n          - ${sentence}`)

  it.each([
    ['an unquoted {name} alone', body('json: { a: {b} }'), '{b}', /write "\{b\}"/],
    ['a { in a plain text of a flow map', body('with: { from: LARK{x} }'), null, /put the whole text in double quotes/],
    ['a sentence cut at " #"', check('body contains "ticket #4"'), null, /put the whole text in single quotes/],
    [
      'a sentence split at ": "',
      check('body contains "error: none"'),
      'body contains',
      /put the whole in single quotes/,
    ],
    ['a leading zero in json', body('json: { a: 007 }'), '007', /leading zero/],
    ['a plus in json', body('json: { a: +7 }'), '+7', /leading zero or plus/],
    ['an anchor', gate('&g failed requests at most 1 %'), null, /anchors are not supported/],
    ['an alias', planText({ top: 'values:\n  a: &v 1\n  b: *v\n' }), null, /anchors/],
    ['a tag', planText({ top: 'values:\n  a: !!str 1\n' }), null, /tags are not supported/],
    ['a merge key', body('<<: { name: x }'), null, /merge keys|has no "<<"/],
  ])('%s has the cure in its error, on the right line', (_, text, piece, message) => {
    const problem = firstProblem(text)

    expect(problem.message).toMatch(message)
    if (piece !== null) expect(problem.at).toBe(placeOf(text, piece))
  })

  it('a plain scalar means its source text, and a number in json is sent as written', () => {
    const { plan, problems } = read(body('json: { price: 1.10, version: "1.10" }\n        query: { v: 1.10 }'))

    expect(problems).toEqual([])
    expect(plan.journeys[0]?.steps[0]).toMatchObject({
      query: [['v', '1.10']],
      body: {
        json: {
          fields: [
            ['price', { kind: 'number', written: '1.10' }],
            ['version', { kind: 'text', text: '1.10' }],
          ],
        },
      },
    })
  })

  it('at most 20 levels and 1 MB are read', () => {
    expect(firstProblem(`jolt: 1\nvalues: ${'['.repeat(30)}${']'.repeat(30)}\n`).code).toBe('TOO_DEEP')
    expect(firstProblem(`jolt: 1\nabout: ${'x'.repeat(1_000_001)}\n`).code).toBe('TOO_LARGE')
    expect(firstProblem(`jolt: 1\nvalues: ${'['.repeat(100_000)}`).code).toMatch(/YAML|TOO_DEEP/)
  })
})

describe('words of general use', () => {
  it.each([
    ['gates: []', 'thresholds: []', 'Did you mean "gates"?'],
    ['rate: 5/s', 'ramp: 5/s', 'Did you mean "rate", as in rate: 2/s to 40/s?'],
    ['for: 10s', 'duration: 10s', 'Did you mean "for"?'],
  ])('are answered with ours: %s as %s', (ours, theirs, message) => {
    const text =
      'jolt: 1\nname: A\ntarget: http://127.0.0.1:9\njourneys:\n  a:\n    steps:\n      - send: GET /a\nload:\n  - { phase: p, rate: 5/s, for: 10s }\ngates: []\n'

    const { problems } = read(text.replace(ours, theirs))

    expect(problems.map((problem) => problem.message).join()).toContain(message)
  })
})

describe('a slip that YAML cannot read', () => {
  it.each([
    ['an unquoted path in braces', 'keep: { x: json $.a[0].b }'],
    ['a bracket that is never closed', 'check: [status is 200'],
    ['a quote that is never closed', 'name: "search'],
  ])('is one error, at its place: %s', (_, slip) => {
    const text = `jolt: 1\nname: A\ntarget: http://127.0.0.1:9\njourneys:\n  a:\n    steps:\n      - send: GET /a\n        ${slip}\n      - send: GET /b/{x}\nload:\n  - { phase: p, rate: 1/s, for: 3s }\n`

    const { problems } = read(text)

    expect(problems).toHaveLength(1)
    expect(problems[0]?.line).toBeGreaterThanOrEqual(8)
  })
})
