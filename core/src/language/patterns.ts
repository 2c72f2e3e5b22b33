// Texts made by an I-Regexp (RFC 9485): the check and the draw are libraries'; what cannot be bounded is refused.
import { check } from 'iregexp-check'
import library from 'randexp'

/** The longest text that a pattern may make, in characters. */
const MOST_CHARACTERS = 10_000

/** Makes one text; `draw` gives uniform numbers in [0, 1). */
export type PatternMaker = (draw: () => number) => string

/**
 * What is wrong with a pattern; undefined when texts can be made by it.
 *
 * @param pattern - an I-Regexp without unbounded repeats, such as `LKM-[0-9]{6}`
 */
export function patternFault(pattern: string): string | undefined {
  if (!check(pattern)) return 'it must be an I-Regexp (RFC 9485), such as LKM-[0-9]{6}'
  if (/\\[pP]\{/.test(pattern))
    return 'character categories such as \\p{Lu} cannot be made; write a class such as [A-Z]'
  const longest = lengthOf(new RandExp(pattern).tokens)
  if (longest === Infinity) return 'a repeat without an end (*, + or {2,}) cannot be made; write {1,8}'
  if (longest > MOST_CHARACTERS) return `it may make more than ${String(MOST_CHARACTERS)} characters`
  return undefined
}

/** Compiles a pattern that has no fault. */
export function compilePattern(pattern: string): PatternMaker {
  const made = new RandExp(pattern)
  return (draw) => {
    made.randInt = (from, to) => from + Math.floor(draw() * (to - from + 1))
    return made.gen()
  }
}

/** A node of the library's tree: alternatives, a sequence, a repeat, or a single character. */
interface Token {
  options?: Token[][]
  stack?: Token[]
  max?: number
  value?: Token | number | string
}

/** The most characters that a token can make. */
function lengthOf({ options, stack, max, value }: Token): number {
  if (options !== undefined) return Math.max(0, ...options.map(sumOf))
  if (stack !== undefined) return sumOf(stack)
  if (max !== undefined && typeof value === 'object') return max === 0 ? 0 : max * lengthOf(value)
  return 1
}

const sumOf = (tokens: readonly Token[]): number => tokens.reduce((sum, token) => sum + lengthOf(token), 0)

interface Generator {
  tokens: Token
  randInt: (from: number, to: number) => number
  gen(): string
}

// The library's types name an export that it does not have: it is the class itself.
const RandExp = classOf(library)

function classOf(found: unknown): new (pattern: string) => Generator {
  if (isClass(found)) return found
  if (typeof found === 'object' && found !== null && 'default' in found && isClass(found.default)) return found.default
  throw new Error('this version of randexp has no class')
}

function isClass(found: unknown): found is new (pattern: string) => Generator {
  return typeof found === 'function'
}
