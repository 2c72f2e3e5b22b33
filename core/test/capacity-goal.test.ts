// What is searched for, read from words; and answers in words.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  CAPACITY,
  CapacityFault,
  decidedAnswer,
  firstToGiveWay,
  readCapacityGoal,
  searchAnswer,
  type CapacityWords,
  type TrialMade,
} from '../src/index.js'

const trial = (load: number, answer: TrialMade['answer'], gate: string | null = null): TrialMade => ({
  ...{ load, holdSeconds: 30, why: 'doubling', answer, deviations: 2, gate, throughput: load, failedShare: 0 },
  ...{ requests: 30 * load, users: 1, generatorErrorMs: 1, gates: [], steps: [], findings: [] },
})

describe('a goal', () => {
  it('is read with its defaults', () => {
    expect(readCapacityGoal({ range: '20/s to 2000/s' })).toEqual({
      ...{ kind: 'search', unit: 'arrivals', lowest: 20, highest: 2000, exact: 0.05 },
      ...{ holdSeconds: 30, withinSeconds: 1200 },
    })
    expect(readCapacityGoal({ users: ' 10 to 400 ', exact: '10%', hold: '1m', within: '1h' })).toMatchObject({
      ...{ unit: 'users', lowest: 10, highest: 400, exact: 0.1, holdSeconds: 60, withinSeconds: 3600 },
    })
    expect(readCapacityGoal({ atLeast: '40 users' })).toMatchObject({ kind: 'at least', unit: 'users', highest: 40 })
    expect(readCapacityGoal({ atLeast: '300/min' })).toMatchObject({ unit: 'arrivals', lowest: 5, highest: 5 })
  })

  it.each([
    [{}, 'range'],
    [{ range: '1/s to 2/s', users: '1 to 2' }, 'range'],
    [{ range: '2/s to 2/s' }, 'range'],
    [{ range: '2/s to 9 users' }, 'range'],
    [{ users: '1.5 to 9' }, 'users'],
    [{ users: '0 to 9' }, 'users'],
    [{ users: '1 to 99999999' }, 'users'],
    [{ atLeast: '-1/s' }, 'atLeast'],
    [{ atLeast: '0/s' }, 'atLeast'],
    [{ atLeast: '1/s', range: '1/s to 2/s' }, 'atLeast'],
    [{ range: '1/s to 2/s', exact: '60 %' }, 'exact'],
    [{ range: '1/s to 2/s', hold: '0s' }, 'hold'],
    [{ range: '1/s to 2/s', within: '3d' }, 'within'],
  ] as [CapacityWords, keyof CapacityWords][])('%j is refused, and says what of it', (words, what) => {
    try {
      readCapacityGoal(words)
    } catch (error) {
      expect(error).toBeInstanceOf(CapacityFault)
      if (error instanceof CapacityFault) expect(error.what).toBe(what)
      return
    }
    throw new Error('it was taken')
  })

  it('of any text is a goal or a fault, and nothing else', () => {
    const text = fc.option(fc.string({ maxLength: 40 }), { nil: undefined })
    fc.assert(
      fc.property(
        fc.record({ range: text, users: text, atLeast: text, exact: text, hold: text, within: text }),
        (words) => {
          try {
            const { lowest, highest, holdSeconds } = readCapacityGoal(words)
            expect(lowest > 0 && highest >= lowest && holdSeconds >= 1).toBe(true)
          } catch (error) {
            expect(error).toBeInstanceOf(CapacityFault)
          }
        },
      ),
    )
  })
})

describe('an answer', () => {
  const trials = [
    trial(20, 'held'),
    trial(300, 'breached', 'second'),
    trial(280, 'breached', 'first'),
    trial(281, 'undecided'),
  ]

  it('names the gate that gave way at the lowest load that did not hold', () => {
    expect(firstToGiveWay(trials)).toBe('first')
    expect(firstToGiveWay([trial(20, 'held')])).toBeNull()
  })

  it.each([
    [
      { kind: 'found', load: 284.3, interval: [271.2, 296] },
      'open',
      'capacity 284/s, at 95 % between 271/s and 296/s; what gave way: first',
    ],
    [
      { kind: 'at least', load: 900, why: 'generator' },
      'open',
      'capacity at least 900/s: this generator can do no more',
    ],
    [{ kind: 'at least', load: 900, why: 'range' }, 'open', 'capacity at least 900/s: all of the range holds'],
    [{ kind: 'below', load: 20 }, 'shut', 'capacity below 20/s, the lowest of the range; what gave way: first'],
    [
      { kind: 'unknown', interval: [20, 400] },
      'void',
      'capacity unknown: the trials told too little; between 20/s and 400/s so far',
    ],
  ] as [Parameters<typeof searchAnswer>[0], string, string][])('%j is said so', (found, verdict, words) => {
    const answer = searchAnswer(found, 'arrivals', trials)
    expect(answer).toMatchObject({ verdict, words })
    const whole = { unit: 'arrivals', ...answer, gate: 'first', trials, leftOut: [], law: null, isGate: false }
    expect(CAPACITY.isValidSync(JSON.parse(JSON.stringify(whole)))).toBe(true)
  })

  it('in users is of whole users', () => {
    const { words } = searchAnswer({ kind: 'found', load: 10, interval: [8, 11.1] }, 'users', [])
    expect(words).toBe('capacity 10 users, at 95 % between 8 users and 11 users')
  })

  it('on one load is never open where that was not sure', () => {
    const goal = readCapacityGoal({ atLeast: '300/s' })
    const decided = (outcome: 'held' | 'breached' | 'undecided') =>
      decidedAnswer(outcome, goal, trials, [{ kind: 'undecided' }])
    expect(decided('held')).toMatchObject({ verdict: 'open', load: 300 })
    expect(decided('breached')).toMatchObject({ verdict: 'shut', words: 'capacity below 300/s; what gave way: first' })
    expect(decided('undecided')).toMatchObject({ verdict: 'void', load: null })
  })
})
