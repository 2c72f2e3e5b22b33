// A gate on the capacity: read from a plan, kept from runs, judged by what a search came to.
import { describe, expect, it } from 'vitest'
import { gatesOf, readCapacityGoal, searchAnswer, statusOfGate, withGates, type CapacityAnswer } from '../src/index.js'
import { planText, read } from './reading.js'

const planWith = (...gates: string[]) => read(planText({ gates: gates.map((gate) => `  - ${gate}`).join('\n') }))

describe('a gate on the capacity', () => {
  it('stands among the gates of a plan, and is none of a run', () => {
    const { plan, problems } = planWith('capacity at least 300/s', 'p95 response time under 300 ms')
    expect(problems).toEqual([])
    expect(plan.capacity).toMatchObject([{ rule: 'capacity at least 300/s', perSecond: 300 }])
    expect(plan.gates.map(({ rule }) => rule)).toEqual(['p95 response time under 300 ms'])
    expect(gatesOf(plan).map(({ measure }) => measure.kind)).not.toContain('capacity')
    expect(planWith('p95 response time under 300 ms').plan.capacity).toBeUndefined()
  })

  it('is what is decided where nothing else is asked for', () => {
    const { plan } = planWith('capacity at least 300/s', 'capacity at least 18000/min')
    expect(readCapacityGoal({}, plan.capacity)).toMatchObject({ kind: 'at least', highest: 300 })
    expect(readCapacityGoal({ range: '1/s to 9/s' }, plan.capacity)).toMatchObject({ kind: 'search', highest: 9 })
  })

  it.each([
    ['capacity at most 300/s', /"at least" and a rate/],
    ['capacity over 300/s', /"at least" and a rate/],
    ['capacity at least 300', /a rate such as 10\/s/],
    ['capacity at least 90 % of baseline', /"at least" and a rate/],
    ['p95 capacity at least 300/s', /takes no statistic/],
    ['capacity during peak at least 300/s', /remove "during"/],
    ['capacity of "search" at least 300/s', /remove "of"/],
    ['{ rule: capacity at least 300/s, stop: after 3 breached seconds }', /cannot stop a run/],
  ])('%s is refused', (gate, words) => {
    expect(
      planWith(gate)
        .problems.map(({ message }) => message)
        .join('\n'),
    ).toMatch(words)
  })

  const answer = (kind: CapacityAnswer['kind'], load: number | null, interval: CapacityAnswer['interval'] = null) =>
    ({ verdict: 'open', kind, load, interval, words: 'w' }) satisfies CapacityAnswer
  it.each([
    [271, answer('found', 284, [271, 296]), 'held'],
    [272, answer('found', 284, [271, 296]), 'undecided'],
    [296, answer('found', 284, [271, 296]), 'undecided'],
    [297, answer('found', 284, [271, 296]), 'breached'],
    [900, answer('at least', 900), 'held'],
    [901, answer('at least', 900), 'undecided'],
    [20, answer('below', 20), 'breached'],
    [19, answer('below', 20), 'undecided'],
    [300, answer('holds', 300), 'held'],
    [301, answer('holds', 300), 'undecided'],
    [300, answer('does not hold', 300), 'breached'],
    [299, answer('does not hold', 300), 'undecided'],
    [1, answer('unknown', null, [20, 400]), 'undecided'],
    [284, answer('found', 284), 'undecided'],
  ] as const)('of %d/s is, by %j, %s', (perSecond, found, status) => {
    expect(statusOfGate({ perSecond }, found)).toBe(status)
  })

  it('makes the verdict: never open where one is breached or was not decided', () => {
    const { plan } = planWith('capacity at least 250/s', 'capacity at least 280/s', 'capacity at least 400/s')
    const [held, unsure, breached] = plan.capacity ?? []
    const found = searchAnswer({ kind: 'found', load: 284, interval: [271, 296] }, 'arrivals', [])
    const of = (...gates: (typeof held)[]) =>
      withGates(
        found,
        gates.flatMap((gate) => (gate === undefined ? [] : [gate])),
      )
    expect(of().verdict).toBe('open')
    expect(of(held).verdict).toBe('open')
    expect(of(held).words).toContain('held: capacity at least 250/s')
    expect(of(held, unsure).verdict).toBe('void')
    expect(of(unsure, breached).verdict).toBe('shut')
    const below = searchAnswer({ kind: 'below', load: 20 }, 'arrivals', [])
    expect(withGates(below, []).verdict).toBe('shut')
    const unknown = searchAnswer({ kind: 'unknown', interval: [1, 9] }, 'arrivals', [])
    expect(withGates(unknown, held === undefined ? [] : [held]).verdict).toBe('void')
  })
})
