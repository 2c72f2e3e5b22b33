// Plans in words of the first edition: each word is an error that names its successor, and `--fix` rewrites the file.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { applyChanges, compilePattern, Draws, readPlan, readTarget, upgradeText } from '../src/index.js'
import { patternFault } from '../src/language/patterns.js'

const OLD = `jolt: 1
name: Harbour              # kept
target: http://127.0.0.1:7710
defaults: { on failure: go on }
values:
  fare: { pick: [adult, child], weights: [6, 3] }   # weights were apart
  code: { pattern: LKM-###@ }
  one:
    uuid: v4
    per: pass
journeys:
  look:
    share: 7
    on failure: end pass
    steps:
      - together:
          - send: GET /a/{user.pass}
            name: a
            sign: { bearer: t }
          - send: POST /b
            name: b
            text: |
              pass {user.pass}
              of {fare}, {code}, {one}
      - pick:
          - share: 1
            steps: [ { send: GET /c, name: c } ]
load:
  - { phase: in, rate: 5/s, for: 10s }
  - phase: last          # the last one
    users: 10
    passes: 20
gates:
  - turned away at most 1 %
  - rule: failed requests at most 25 %
    stop: after 10s
  - rule: failed checks at most 5
    stop: at once
`
const NEW = `jolt: 1
name: Harbour              # kept
target: http://127.0.0.1:7710
defaults: { on failure: continue }
values:
  fare: { pick: { adult: 6, child: 3 } }   # weights were apart
  code: { pattern: "LKM-[0-9]{3}[A-Z]" }
  one:
    uuid: v4
    lasts: iteration
journeys:
  look:
    weight: 7
    on failure: end iteration
    steps:
      - parallel:
          - send: GET /a/{user.iteration}
            name: a
            auth: { bearer: t }
          - send: POST /b
            name: b
            text: |
              pass {user.iteration}
              of {fare}, {code}, {one}
      - pick:
          - weight: 1
            steps: [ { send: GET /c, name: c } ]
load:
  - { phase: in, rate: 5/s, for: 10s }
  - phase: last          # the last one
    users: 10
    iterations: 20
gates:
  - capped arrivals at most 1 %
  - rule: failed requests at most 25 %
    stop: after 10 breached seconds in a row
  - rule: failed checks at most 5
    stop: after 1 breached second
`
const FILE = 'plans/old.gate.yaml'
const read = (text: string) => readPlan(FILE, text, { files: () => undefined })
const upgraded = (file: string, text: string) => applyChanges(text, upgradeText(file, text))

describe('a plan of the first edition', () => {
  it('is rewritten in today’s words, comments and layout kept', () => {
    expect(upgraded(FILE, OLD)).toBe(NEW)
  })

  it('is valid once it is rewritten, and is not rewritten again', () => {
    expect(read(NEW).problems).toEqual([])
    expect(upgradeText(FILE, NEW)).toEqual([])
  })

  it.each([
    ['share: 7', 'weight', 'RENAMED'],
    ['on failure: end pass', 'end iteration', 'WORD'],
    ['- together:', 'parallel', 'RENAMED'],
    ['per: pass', 'lasts', 'RENAMED'],
    ['weights: [6, 3]', 'pick: { adult: 6, child: 3 }', 'RENAMED'],
    ['passes: 20', 'iterations', 'RENAMED'],
    ['- turned away', 'capped arrivals at most 1 %', 'RENAMED'],
    ['stop: after 10s', 'after 10 breached seconds in a row', 'RENAMED'],
    ['stop: at once', 'after 1 breached second', 'RENAMED'],
  ])('has an error at "%s" that names "%s"', (old, successor, code) => {
    const line = OLD.slice(0, OLD.indexOf(old)).split('\n').length
    const found = read(OLD).problems.filter((problem) => problem.line === line && problem.code === code)

    expect(found.map(({ message }) => message).join()).toContain(successor)
  })

  it('has errors for a renamed name of a value and a renamed key of a request', () => {
    const text = NEW.replace('{user.iteration}\n            name: a', '{user.pass}\n            name: a')

    expect(read(text).problems.map(({ message }) => message)).toEqual([expect.stringContaining('"user.iteration" now')])
    expect(read(NEW.replace('auth:', 'sign:')).problems[0]?.message).toContain('"auth" now')
  })
})

describe('a target of the first edition', () => {
  const old =
    'origin: http://127.0.0.1:7710\nprobes: { q: { url: /m, family: f } } # read\nnetwork: { from: 127.0.0.2 }\n'
  const now = 'origin: http://127.0.0.1:7710\nmetrics: { q: { url: /m, family: f } } # read\nlocal address: 127.0.0.2\n'

  it('is rewritten, and has errors that name the successors before', () => {
    expect(upgraded('targets/h.target.yaml', old)).toBe(now)
    expect(readTarget('targets/h.target.yaml', now).problems).toEqual([])
    expect(readTarget('targets/h.target.yaml', old).problems.map(({ message }) => message)).toEqual([
      expect.stringContaining('"metrics" now'),
      expect.stringContaining('local address: 127.0.0.2'),
    ])
  })
})

describe('a key that is not built yet', () => {
  it.each([['networks: []\n', 1, 'networks']])('%s has an error that says so, at its place', (top, column, key) => {
    const [problem] = read(NEW + top).problems

    expect(problem).toMatchObject({ code: 'KEY', line: NEW.split('\n').length, column })
    expect(problem?.message).toMatch(new RegExp(`^"${key}": not supported by this version yet`))
  })
})

// Source: RFC 9485, I-Regexp, sections 3 and 4.
describe('a pattern', () => {
  it.each(['LKM-[0-9]{6}', '[a-f0-9]{8}', '(red|green|blue)[.]x?', 'a{2,4}b', '[^a-z]{3}'])(
    '%s makes texts that match it, the same for the same place',
    (pattern) => {
      expect(patternFault(pattern)).toBeUndefined()
      const make = compilePattern(pattern)
      fc.assert(
        fc.property(fc.nat(), fc.nat(), (seed, user) => {
          const draws = () => {
            const placed = new Draws(seed).at(user, 0, 1)
            return () => placed.next()
          }
          const made = make(draws())
          expect(made).toMatch(new RegExp(`^(?:${pattern})$`))
          expect(make(draws())).toBe(made)
        }),
        { numRuns: 50 },
      )
    },
  )

  it.each([
    ['a*', /without an end/],
    ['x{2,}', /without an end/],
    [String.raw`\d{3}`, /I-Regexp/],
    ['(?=a)b', /I-Regexp/],
    ['(a{1000}){1000}', /more than 10000 characters/],
    [String.raw`\p{Lu}{3}`, /character categories/],
  ])('%s is refused', (pattern, fault) => {
    expect(patternFault(pattern)).toMatch(fault)
  })
})
