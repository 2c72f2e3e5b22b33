import { readFileSync } from 'node:fs'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { LAWS } from './fuzz.js'

/** What found something once: the law, and the text that broke it. */
const found = JSON.parse(readFileSync(new URL('fuzz-found.json', import.meta.url), 'utf8')) as [string, string][]

describe('a text that is nearly right', () => {
  it.each(LAWS)('breaks nothing: $name', ({ name, texts, holds }) => {
    const examples = found.flatMap(([law, text]): [string][] => (law === name ? [[text]] : []))

    fc.assert(fc.property(texts, holds), { numRuns: 60, examples })
  })

  it('that was found is kept under the name of a law', () => {
    const names = LAWS.map(({ name }) => name)

    for (const [law] of found) expect(names).toContain(law)
  })
})
