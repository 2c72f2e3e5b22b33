// Trace contexts against the W3C Recommendation "Trace Context" of 23 November 2021, whose examples are quoted from
// memory.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readTarget, Traces, tracesOf } from '../src/index.js'
import { planText, read } from './reading.js'

/** Section 3.2.2 and 3.2.3: what a receiver of version 00 takes, and what it must ignore. */
const isValid = (header: string): boolean => /^00-(?!0{32})[0-9a-f]{32}-(?!0{16})[0-9a-f]{16}-[0-9a-f]{2}$/.test(header)

describe('a trace context', () => {
  it.each([
    ['00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01', true],
    ['00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-00', true],
    ['00-00000000000000000000000000000000-00f067aa0ba902b7-01', false],
    ['00-4bf92f3577b34da6a3ce929d0e0e4736-0000000000000000-01', false],
    ['00-4BF92F3577B34DA6A3CE929D0E0E4736-00f067aa0ba902b7-01', false],
  ])('of the Recommendation, %s, is one that this test can tell: %s', (header, expected) => {
    expect(isValid(header)).toBe(expected)
  })

  it('is valid wherever it is made, and made again the same', () => {
    const place = fc.tuple(fc.string({ maxLength: 20 }), fc.nat(), fc.nat(), fc.nat(2 ** 31))
    fc.assert(
      fc.property(place, ([run, ...at]) => {
        const header = new Traces(run, { kind: 'failed' }).of(...at)

        expect(isValid(header)).toBe(true)
        expect(new Traces(run, { kind: 'failed' }).of(...at)).toBe(header)
      }),
    )
  })

  it('differs by run, user, iteration and place', () => {
    const made = ['a', 'b', 'run 12', 'run 21'].flatMap((run) => {
      const traces = new Traces(run, { kind: 'failed' })
      return Array.from({ length: 1000 }, (_, n) => traces.of(n % 10, Math.floor(n / 10) % 10, Math.floor(n / 100)))
    })

    // Neither of the two ids is another's, nor any digit the same in all.
    for (const [from, to] of [
      [3, 35],
      [36, 52],
    ] as const) {
      const ids = made.map((header) => header.slice(from, to))
      expect(new Set(ids).size).toBe(4000)
      for (let digit = 0; digit < to - from - 1; digit++)
        expect(new Set(ids.map((id) => id[digit])).size).toBeGreaterThanOrEqual(8)
    }
  })

  it('asks the target to keep the share that the plan says, and none by default', () => {
    const sampled = (rule: Parameters<typeof tracesOf>[1]) => {
      const traces = tracesOf('r', rule)
      return Array.from({ length: 20_000 }, (_, user) => traces?.of(user, 0, 1)).filter((header) =>
        header?.endsWith('-01'),
      ).length
    }

    expect(sampled({ kind: 'failed' })).toBe(0)
    expect(sampled({ kind: 'no' })).toBe(0)
    // Four standard deviations of a binomial count of 20 000 at 5 %.
    expect(Math.abs(sampled({ kind: 'share', share: 0.05 }) - 1000)).toBeLessThan(124)
  })

  it('is asked for by the plan, and opened where the target says', () => {
    const traceOf = (line: string) => read(planText({ top: line })).plan.trace
    const tracesIn = (line: string) => readTarget('targets/t.target.yaml', `origin: http://127.0.0.1:1\n${line}\n`)

    expect(traceOf('')).toEqual({ kind: 'failed' })
    expect(traceOf('trace: no\n')).toEqual({ kind: 'no' })
    expect(traceOf('trace: 2.5 %\n')).toEqual({ kind: 'share', share: 0.025 })
    expect(read(planText({ top: 'trace: some\n' })).problems[0]?.message).toMatch(/expected "failed", "no" or a share/)
    expect(tracesIn('traces: https://traces.example/{trace}').target?.traces).toBe('https://traces.example/{trace}')
    expect(tracesIn('traces: "javascript:alert({trace})"').problems.map(({ code }) => code)).toEqual(['TRACES'])
    expect(tracesIn('traces: https://traces.example/').problems.map(({ code }) => code)).toEqual(['TRACES'])
  })
})
