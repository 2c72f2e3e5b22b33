// Patterns from which values are made, and keys that the format has no more, or not yet.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { compilePattern, Draws } from '../src/index.js'
import { patternFault } from '../src/language/patterns.js'
import { planText, read } from './reading.js'

describe('a key', () => {
  it('that is not built yet has an error that says so, at its place', () => {
    const text = planText({}).replace(/^( *)steps:$/m, '$1browser: yes\n$&')
    const [problem] = read(text).problems

    expect(problem).toMatchObject({ code: 'KEY', line: 6, column: 5 })
    expect(problem?.message).toMatch(/^"browser": not supported by this version yet/)
  })

  it('of the first edition is an unknown word like any other', () => {
    const { problems } = read(planText({ load: '  - { phase: p, users: 2, passes: 3 }' }))

    expect(problems.map(({ code }) => code)).toContain('UNKNOWN_KEY')
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
