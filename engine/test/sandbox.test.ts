import fc from 'fast-check'
import { afterAll, describe, expect, it } from 'vitest'
import type { ScriptDraws } from '../src/walk/steps/call/script-thread.js'
import { Scripts } from '../src/walk/steps/call/scripts.js'

const scripts = new Scripts()
afterAll(() => scripts.close())

const DRAWS: ScriptDraws = [4, 1, 0, 2]
const call = (file: string, script: string, name = 'go', argument = '{}') =>
  scripts.call({ file, script, name }, argument, DRAWS)

describe('a script', () => {
  it('gives back any JSON that it is given', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        const text = JSON.stringify(value)
        const outcome = call('s.js', 'export const same = (given) => given', 'same', text)
        expect(outcome.kind === 'returned' && JSON.stringify(JSON.parse(outcome.json))).toBe(
          JSON.stringify(JSON.parse(text)),
        )
      }),
      { numRuns: 100 },
    )
  })

  it('draws from the seed, and is told what is wrong with it', () => {
    const draw = () => call('r.ts', 'export const go = (): number => Math.random()')
    const said = (file: string, script: string) => {
      const outcome = call(file, script)
      return outcome.kind === 'failed' ? outcome.detail : outcome.json
    }

    expect(draw()).toMatchObject({ kind: 'returned' })
    expect(draw()).toEqual(draw())
    expect(said('a.js', 'export async function go() {}')).toMatch(/^a\.js: async functions are not supported/)
    expect(said('b.js', 'export function {')).toMatch(/^b\.js: /)
    expect(said('i.js', 'import fs from "fs"; export const go = 1')).toMatch(/^i\.js: /)
    expect(said('n.js', 'export const other = 1')).toBe('n.js: it exports no function called go')
  })
})

describe('a hostile script', () => {
  // What fills memory may be ended for its time where the host is slow.
  const [LONG, LARGE, DEEP] = [/longer than 250 ms/, /more than 32 MB|longer than 250 ms/, /stack overflow/]

  it.each([
    ['calls itself', 'function f() { return f() + 1 } return f()', DEEP],
    ['calls itself, and catches what comes of it', 'function f() { try { f() } catch { f() } } f()', LONG],
    ['reads itself', 'const o = { get x() { return this.x } }; return o.x', DEEP],
    ['nests its own text', 'return JSON.parse("[".repeat(100000) + "]".repeat(100000))', DEEP],
    ['loops for ever', 'for (;;);', LONG],
    ['hides in a sort', 'return [..."x".repeat(100000)].sort(() => { for (;;); })', LONG],
    ['backtracks without end', 'return /^(a+)+$/.test("a".repeat(40) + "b")', LONG],
    ['joins what is long', 'return new Array(1e8).join("xxxxx").length', LONG],
    ['fills memory with buffers', 'const a = []; for (;;) a.push(new ArrayBuffer(1e6))', LARGE],
    ['fills memory with one array', 'return new Array(1e9).fill(1).length', LARGE],
    [
      'fills memory again and again',
      'const a = []; for (;;) try { for (;;) a.push(new Array(1000).fill(1)) } catch {}',
      LONG,
    ],
  ])('that %s is ended, and leaves the next calls as they were', async (what, body, words) => {
    const file = `${what}.js`
    const script = `export function go() { ${body} }\nexport const fine = (given) => given`

    const outcome = call(file, script)

    expect(outcome).toMatchObject({ kind: 'failed', detail: expect.stringMatching(words) as string })
    // A busy machine may take its quarter of a second from a call that does nothing, but not from one after another.
    await expect.poll(() => call(file, script, 'fine', '7')).toEqual({ kind: 'returned', json: '7' })
    expect(process.memoryUsage.rss()).toBeLessThan(1e9)
  })
})
