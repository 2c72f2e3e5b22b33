// What the plan format says beyond the first slice: each part is read, and each wrong part is told with its place.
import { describe, expect, it } from 'vitest'
import { allSteps, firstRows, previewOf, readPlan, type Phase, type Plan, type Step } from '../src/index.js'
import { firstProblem, placeOf, planText, read } from './reading.js'

function right(text: string, files: Record<string, string> = {}): Plan {
  const { plan, problems } = read(text, files)
  expect(problems).toEqual([])
  return plan
}
const phasesOf = (load: string, top = ''): Phase[] => right(planText({ load, top })).load.phases
const stepsOf = (steps: string, files: Record<string, string> = {}, top = ''): Step[] => [
  ...allSteps(
    right(planText({ journeys: `  a:\n    steps:\n      - send: GET /first\n${steps}`, top }), files).journeys[0]
      ?.steps ?? [],
  ),
]

describe('a load', () => {
  it('climbs a ladder in equal levels, both ends included, each a phase of its own', () => {
    const levels = phasesOf('  - { phase: climb, rate: 10/s to 40/s by 10/s, for: 1m }')

    expect(levels.map(({ name, ladder, seconds }) => [name, ladder, seconds])).toEqual([
      ['climb at 10/s', 'climb', 15],
      ['climb at 20/s', 'climb', 15],
      ['climb at 30/s', 'climb', 15],
      ['climb at 40/s', 'climb', 15],
    ])
    expect(levels.map((level) => level.kind === 'constant' && level.rate)).toEqual([10, 20, 30, 40])
    const falling = phasesOf('  - { phase: down, users: 30 to 10 by 10, for: 30s }')
    expect(falling.map((level) => level.name)).toEqual(['down at 30 users', 'down at 20 users', 'down at 10 users'])
  })

  it('lets a gate name a level, or the whole ladder', () => {
    const gates = '  - p95 response time during climb under 1 s\n  - p95 response time during "climb at 20/s" under 1 s'

    right(planText({ load: '  - { phase: climb, rate: 10/s to 20/s by 10/s, for: 60s }', gates }))
  })

  it('takes its figures from the target or from --set where it names them', () => {
    const text = (target: string) =>
      `jolt: 1\nname: L\ntarget: ${target}\njourneys:\n  a:\n    steps: [send: GET /]\nload:\n  - { phase: p, rate: "{busy} to 40/s", for: "{long}" }\n  - { phase: u, users: "{many}", for: 5s }\n`
    const files = (path: string) =>
      path === 'targets/harbour.target.yaml'
        ? 'origin: http://127.0.0.1:7710\nvalues: { busy: 20/s, long: 90s, many: 7 }\n'
        : undefined
    const ofTarget = readPlan('p.gate.yaml', text('harbour'), { files })
    const ofSet = readPlan('p.gate.yaml', text('harbour'), { files, set: { busy: '5/s' } })
    const ofNothing = readPlan('p.gate.yaml', text('http://127.0.0.1:7710'), { files, set: { busy: '5/s', many: '2' } })

    expect(ofTarget.problems).toEqual([])
    expect(ofTarget.plan.load.phases).toMatchObject([{ from: 20, to: 40, seconds: 90 }, { from: 7 }])
    expect(ofSet.plan.load.phases[0]).toMatchObject({ from: 5, to: 40 })
    expect(ofNothing.problems[0]).toMatchObject({
      line: 8,
      message: expect.stringContaining('no value "long"') as unknown,
    })
  })

  it('holds users, iterations, spacing, cap and mix', () => {
    const load =
      '  - { phase: in, users: 0 to 20, for: 10s }\n  - { phase: held, users: 20, for: 10s, spread: 5s, cap: 15 users }\n  - { phase: crowd, starts: 30, for: 5s, spacing: random }\n  - { phase: end, users: 3, iterations: 20 }'
    const { load: read } = right(planText({ load, top: 'cap: 500 users\nspacing: even\nmix: drawn\ndrain: 5s\n' }))

    expect(read).toMatchObject({ cap: 500, mix: 'drawn', drainMs: 5000 })
    expect(read.phases).toMatchObject([
      { kind: 'users', from: 0, to: 20, cap: 500 },
      { kind: 'users', from: 20, to: 20, spreadSeconds: 5, cap: 15 },
      { kind: 'batch', starts: 30, spacing: 'random' },
      { kind: 'iterations', users: 3, iterations: 20 },
    ])
  })

  it('has a track for each journey with a load of its own, beside the common one', () => {
    const journeys =
      '  look:\n    weight: 3\n    steps:\n      - send: GET /a\n  night:\n    returning: yes\n    load:\n      - { phase: senderPool, users: 5, for: 10s }\n    steps:\n      - send: GET /b'
    const { load, journeys: walked } = right(planText({ journeys }))

    expect(load.phases.map(({ name, track }) => [name, track])).toEqual([
      ['peak', null],
      ['senderPool', 'night'],
    ])
    expect(walked).toMatchObject([{ weight: 3 }, { weight: 0, returning: true }])
  })

  it('numbers phases without a name', () => {
    const names = phasesOf('  - { rate: 1/s, for: 1s }\n  - { rest: 1s }\n  - { rate: 1/s, for: 1s }\n  - { rest: 1s }')

    expect(names.map(({ name }) => name)).toEqual(['load', 'rest', 'load 2', 'rest 2'])
  })

  it.each([
    ['a ladder that does not end on a level', '{ phase: p, rate: 10/s to 35/s by 10/s, for: 1m }', '10/s to', 'LADDER'],
    [
      'iterations before another phase',
      '{ phase: p, users: 2, iterations: 3 }\n  - { phase: q, rate: 1/s, for: 1s }',
      '{ phase: q',
      'ITERATIONS',
    ],
    ['iterations by a changing number of users', '{ phase: p, users: 1 to 5, iterations: 3 }', '1 to 5', 'ITERATIONS'],
    ['spread beside a rate', '{ phase: p, rate: 1/s, for: 5s, spread: 2s }', 'spread', 'PHASE'],
    ['an unknown spacing', '{ phase: p, rate: 1/s, for: 5s, spacing: randm }', 'randm', 'WORD'],
    ['a cap of nobody', '{ phase: p, rate: 1/s, for: 5s, cap: 0 users }', '0 users', 'CAP'],
    ['two kinds at once', '{ phase: p, rate: 1/s, users: 5, for: 5s }', '{ phase', 'PHASE'],
    ['no length', '{ phase: p, rate: 1/s }', '{ phase', 'LENGTH'],
    ['a rate of 0', '{ phase: p, rate: 0/s, for: 5s }', '0/s', 'RATE'],
    ['nobody', '{ phase: p, users: 0, for: 5s }', '0, for', 'USERS'],
    ['a batch of nobody', '{ phase: p, starts: 0, for: 5s }', '0, for', 'USERS'],
  ])('refuses %s', (_, phase, piece, code) => {
    const text = planText({ load: `  - ${phase}` })

    expect(firstProblem(text)).toMatchObject({ code, at: placeOf(text, piece) })
  })

  it('refuses a weight beside a load of its own, and a name given twice over two tracks', () => {
    const journey = (more: string) =>
      planText({
        journeys: `  look:\n    steps:\n      - send: GET /a\n  own:\n${more}    load:\n      - { phase: peak, users: 5, for: 10s }\n    steps:\n      - send: GET /b`,
      })

    expect(firstProblem(journey('    weight: 2\n')).code).toBe('WEIGHTS')
    expect(firstProblem(journey('')).code).toBe('SAME_NAME')
  })
})

describe('the end of a load', () => {
  it.each([
    ['  - { phase: p, rate: 1/s, for: 5s }', ['DRAIN']],
    ['  - { phase: p, rate: 1/s, for: 5s }\n  - { phase: after, rest: 5s }', []],
  ])('with a drain of 0 cuts off what is under way: an error but after a rest: %s', (load, codes) => {
    expect(read(planText({ load, top: 'drain: 0s\n' })).problems.map(({ code }) => code)).toEqual(codes)
  })
})

describe('a repeat', () => {
  const repeated = (repeat: string) =>
    planText({
      journeys: `  a:\n    steps:\n      - send: GET /a\n      - repeat: ${repeat}\n        steps:\n          - send: GET /b`,
    })

  it.each([
    ['0', '0\n        steps', 'NUMBER'],
    ['10001', '10001', 'NUMBER'],
    ['{ until: status is 200, at most: 20000 }', '20000', 'NUMBER'],
    ['{ until: status is 200 }', '{ until', 'REPEAT'],
    ['{ until: load ends, at most: 3 }', 'at most', 'REPEAT'],
  ])('refuses %s', (repeat, piece, code) => {
    const text = repeated(repeat)

    expect(firstProblem(text)).toMatchObject({ code, at: placeOf(text, piece) })
  })

  it('until a check fails without it, unless it continues; until the load ends needs no number', () => {
    const untilOf = (repeat: string) => {
      const step = read(repeated(repeat)).plan.journeys[0]?.steps[1]
      return step?.kind === 'repeat' ? step.until : undefined
    }

    expect(untilOf('{ until: status is 200, at most: 3 }')).toMatchObject({ kind: 'check', unmet: 'fail' })
    expect(untilOf('{ until: status is 200, at most: 3, then: continue }')).toMatchObject({ unmet: 'continue' })
    expect(untilOf('{ until: load ends }')).toEqual({ kind: 'load ends' })
    expect(untilOf('3')).toBeUndefined()
  })

  it('until the load ends has no place outside the load', () => {
    const setup = 'setup:\n  - repeat: { until: load ends }\n    steps:\n      - send: GET /a\n'

    expect(firstProblem(planText({ top: setup })).code).toBe('REPEAT')
  })
})

describe('journeys that are all off', () => {
  it('are an error: nothing would be sent', () => {
    const journeys = '  a:\n    off: yes\n    steps:\n      - send: GET /a'

    expect(firstProblem(planText({ journeys, gates: '  []' })).message).toBe(
      'every journey is off: nothing would be sent',
    )
  })
})

describe('steps', () => {
  it('are parallel, repeated, under a condition and picked by weight', () => {
    const steps = stepsOf(`      - parallel:
          - send: GET /a
          - send: GET /b
      - repeat: 3
        steps:
          - send: GET /c
      - repeat: { until: json $.state is "done", at most: 20 }
        steps:
          - send: GET /d
      - when: status is 200
        steps:
          - send: GET /e
        else:
          - send: GET /f
      - when: value run.seed is 1
        steps:
          - send: GET /g
      - pick:
          - weight: 3
            steps:
              - send: GET /h
          - steps:
              - send: GET /i`)

    expect(steps.filter((step) => step.kind !== 'send')).toMatchObject([
      { kind: 'parallel' },
      { kind: 'repeat', times: 3, until: undefined },
      { kind: 'repeat', times: 20, until: { name: 'repeat until json $.state is "done"', unmet: 'fail' } },
      { kind: 'when', condition: { subject: { kind: 'status' } } },
      { kind: 'when', condition: { subject: { kind: 'value', name: 'run.seed' } } },
      { kind: 'pick', options: [{ weight: 3 }, { weight: 1 }] },
    ])
    expect(steps.flatMap((step) => (step.kind === 'send' ? [step.url] : []))).toEqual([
      '/first',
      '/a',
      '/b',
      '/c',
      '/d',
      '/e',
      '/f',
      '/g',
      '/h',
      '/i',
    ])
  })

  it('call a function, talk over a socket and run a statement', () => {
    const script = 'export function choose() { return 1 }'
    const text = `jolt: 1
name: T
target: http://127.0.0.1:1
setup:
  - sql: mariadb://root@127.0.0.1/ferries
    run: DELETE FROM holds WHERE run = ?
    with: ["{run.id}"]
journeys:
  a:
    steps:
      - call: lib/fares.ts#choose
        with: { people: 2 }
        keep: { fare: json $.fare }
      - socket: GET /departures
        steps:
          - say: { json: { fare: "{fare}" } }
          - wait: 100ms
          - await: json $.gate exists
            within: 2s
            keep: { gate: json $.gate }
      - send: GET /gates/{gate}
load:
  - { phase: p, rate: 1/s, for: 1s }
`
    const { plan, problems } = read(text, { 'lib/fares.ts': script })

    expect(problems).toEqual([])
    expect(plan.setup).toMatchObject([{ kind: 'sql', with: ['{run.id}'] }])
    expect(plan.journeys[0]?.steps).toMatchObject([
      { kind: 'call', file: 'lib/fares.ts', export: 'choose', script },
      { kind: 'socket', acts: [{ kind: 'say' }, { kind: 'wait' }, { kind: 'await', withinMs: 2000 }] },
      { kind: 'send' },
    ])
  })

  it.each([
    [
      'a repeat without a bound',
      '- repeat: { until: status is 200 }\n        steps:\n          - send: GET /',
      'REPEAT',
    ],
    ['a script that is not there', '- call: none.ts#x', 'FILE'],
    ['a script outside the repository', '- call: ../x.ts#x', 'FILE'],
    ['a call without a function', '- call: fares.ts', 'CALL'],
    ['a statement in a journey', '- sql: mariadb://h/d\n        run: SELECT 1', 'SQL'],
    ['a socket that is posted', '- socket: POST /x', 'REQUEST'],
    ['a value of nothing', '- when: value none is 1\n        steps:\n          - send: GET /', 'UNKNOWN_NAME'],
    ['a name that no value can have', '- send: POST /\n        text: "{first-row.people}"', 'UNKNOWN_NAME'],
    ['such a name in a path', '- send: GET /sailings/{first-row}', 'UNKNOWN_NAME'],
    ['a refresh outside setup', '- send: GET /\n        refresh: every 20m', 'REFRESH'],
    ['HTTP 3', '- send: GET /\n        http: 3', 'WORD'],
    ['two bodies', '- send: POST /\n        text: a\n        xml: <a/>', 'BODY'],
    ['a file that is not there', '- send: POST /\n        multipart: { a: { file: none.png } }', 'FILE'],
    ['a prefix of nothing', '- send: GET /\n        check: [xml //s:a exists]', 'XPATH'],
    ['a wrong path', '- send: GET /\n        check: ["xml //a[ exists"]', 'SENTENCE'],
    ['a response time in bytes', '- send: GET /\n        check: [response time under 3 kB]', 'UNIT'],
    ['a schema that is not there', '- send: GET /\n        check: ["body fits schema none.json"]', 'FILE'],
    ['a schema pointer to nothing', '- send: GET /\n        check: ["body fits schema s.json#/none"]', 'SCHEMA'],
  ])('refuse %s', (_, step, code) => {
    const text = planText({ journeys: `  a:\n    steps:\n      - send: GET /first\n      ${step}` })

    expect(firstProblem(text, { 's.json': '{"type":"object"}' }).code).toBe(code)
  })

  it('takes what is in braces and no name for the text that it is, and finds the name that is meant', () => {
    const textOf = (text: string) =>
      planText({ journeys: `  a:\n    steps:\n      - { send: POST /, text: '${text}' }` })
    const meant = 'run-seed'

    expect(read(textOf('{"a": 1} {{x-y} { a } {3f2504e0-4f89-11d3-9a0c-0305e82c3301}')).problems).toEqual([])
    expect(firstProblem(textOf(`{${meant}}`))).toMatchObject({
      message:
        '"{run-seed}" is no value: names have letters, digits, _ and dots. Did you mean "{run.seed}"? Write "{{" for a plain brace',
    })
  })

  it('send every kind of body, over HTTP 1 and 2', () => {
    const [, ...sends] = stepsOf(
      '      - send: POST /a\n        xml: "<a>{run.id}</a>"\n        http: 2\n      - send: PUT /b\n        file: pier.jpg\n      - send: POST /c\n        multipart: { note: "for {run.id}", picture: { file: pier.jpg, type: image/jpeg } }',
      { 'pier.jpg': '' },
    )

    expect(sends).toMatchObject([
      { body: { kind: 'xml' }, http: 2 },
      { body: { kind: 'file', path: 'pier.jpg' } },
      { body: { kind: 'multipart', parts: [{ kind: 'text' }, { kind: 'file', type: 'image/jpeg' }] } },
    ])
  })
})

describe('values and data', () => {
  it('know every maker, and how long what they make lasts', () => {
    const top = `values:
  turn: { list: [a, b, c] }
  when: { date: today + 1 days, format: dd.MM.yyyy, zone: Europe/Oslo, lasts: run }
  key: { uuid: v7, lasts: use }
`
    expect(right(planText({ top })).values).toMatchObject([
      { maker: { kind: 'list', options: ['a', 'b', 'c'] }, lasts: 'iteration' },
      { maker: { kind: 'date', format: 'dd.MM.yyyy', zone: 'Europe/Oslo' }, lasts: 'run' },
      { maker: { kind: 'uuid', version: 'v7' }, lasts: 'use' },
    ])
  })

  it('read CSV and JSON Lines, whose columns are names', () => {
    const top =
      'data:\n  passenger: { file: p.csv, take: once each, then: again }\n  ship: { file: s.jsonl, take: at random }\n'
    const journeys = '  a:\n    steps:\n      - send: GET /{passenger.name}/{ship.berths}'
    const { data } = right(planText({ top, journeys }), {
      'p.csv': 'name,email\r\n"Tove ""Red"" Quill","a,b@larkholm.example"\r\n\r\nMoss,m@larkholm.example\r\n',
      's.jsonl': '{"berths":12}\n{"berths":40,"name":"Skua"}\n',
    })

    expect(data.map(({ columns, rows }) => ({ columns, rows: firstRows(rows, 9) }))).toEqual([
      {
        columns: ['name', 'email'],
        rows: [
          ['Tove "Red" Quill', 'a,b@larkholm.example'],
          ['Moss', 'm@larkholm.example'],
        ],
      },
      {
        columns: ['berths', 'name'],
        rows: [
          [12, null],
          [40, 'Skua'],
        ],
      },
    ])
  })

  it.each([
    ['a row that is too short', 'a,b\n1,2\n3\n', 3],
    ['a column named twice', 'a,a\n1,2\n', 1],
    ['a quote that does not end', 'a,b\n"1,2\n', 2],
    ['no rows', 'a,b\n', 2],
  ])('refuse %s, with its line', (_, csv, line) => {
    const { problems } = read(planText({ top: 'data: { d: { file: d.csv } }\n' }), { 'd.csv': csv })

    expect(problems).toMatchObject([{ code: 'DATA', file: 'd.csv', line }])
  })

  it('refuse a column that is not there, with the nearest', () => {
    const top = 'data: { passenger: { file: p.csv } }\n'
    const journeys = '  a:\n    steps:\n      - send: GET /{passenger.emial}'

    expect(firstProblem(planText({ top, journeys }), { 'p.csv': 'email\nx\n' }).message).toMatch(
      /Did you mean "passenger.email"/,
    )
  })

  it('warn where a recovery cannot be measured', () => {
    const warnings = (load: string) =>
      previewOf(right(planText({ load, gates: '  - recovery after "peak" under 20 s' }))).warnings
    const minute = '  - { phase: before, rate: 5/s, for: 60s }\n'
    const peak = '  - { phase: peak, rate: 50/s, for: 10s }\n'

    expect(warnings(peak).map(({ message }) => message)).toEqual([
      expect.stringMatching(/^recovery after "peak" needs a measured phase of a minute/),
    ])
    expect(warnings(minute + peak).map(({ message }) => message)).toEqual([
      expect.stringMatching(/needs 25 seconds of measured load after it/),
    ])
    expect(warnings(`${minute}${peak}  - { phase: after, rate: 5/s, for: 30s }`)).toEqual([])
  })

  it('warn when rows that are taken once each will run out', () => {
    const plan = right(planText({ top: 'data: { d: { file: d.csv, take: once each } }\n' }), { 'd.csv': 'a\n1\n2\n' })

    expect(previewOf(plan).warnings.map(({ message }) => message)).toContainEqual(
      expect.stringMatching(/2 rows.*50 arrivals/),
    )
  })
})
