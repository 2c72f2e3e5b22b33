// The one door to the grammar: a sentence becomes a typed value, or a fault that says where and what was expected.
import { distance } from 'fastest-levenshtein'
import { parse, SyntaxError, type Sentences } from '../../grammar/sentences.js'

export type {
  BeginsSentence,
  CheckSentence,
  Comparison,
  GateSentence,
  Json,
  KeepSentence,
  KeepSource,
  Limit,
  Measure,
  Operand,
  Span,
  Statistic,
  Subject,
  Test,
  TraceSentence,
  Unit,
  WaitSentence,
} from '../../grammar/sentences.js'

export interface SentenceFault {
  /** Offset in the sentence, from 0. */
  offset: number
  message: string
  /** Its fix there, where one word alone is wrong. */
  fix?: { length: number; text: string }
}
/** No sentence needs more; the parser goes one call deeper for each bracket. */
const MOST_LETTERS = 2000

export type Parsed<T> = { ok: true; value: T } | { ok: false; fault: SentenceFault }

/**
 * Reads one sentence of the plan language.
 *
 * @param rule - which kind of sentence it must be
 * @param text - the sentence as the author wrote it
 * @returns the parsed sentence, or where it stopped making sense, what was expected there and the nearest known word
 */
export function readSentence<Rule extends keyof Sentences>(rule: Rule, text: string): Parsed<Sentences[Rule]> {
  if (text.length > MOST_LETTERS)
    return {
      ok: false,
      fault: { offset: MOST_LETTERS, message: `a sentence has at most ${String(MOST_LETTERS)} letters` },
    }
  try {
    return { ok: true, value: parse(text, { startRule: rule }) }
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error
    const offset = error.location.start.offset
    // What comes after the last word is known only once it is followed by a blank.
    if (offset === text.length && !text.endsWith(' ')) {
      const further = readSentence(rule, `${text} `)
      if (!further.ok) return { ok: false, fault: { ...further.fault, offset } }
    }
    return { ok: false, fault: { offset, ...describe(text.slice(offset), error) } }
  }
}

/**
 * The known word nearest to what was written, if one is near enough to be meant.
 *
 * @param written - what stands in the plan
 * @param known - the words that would be right there
 * @returns the nearest word, or undefined when none is within a third of its letters
 */
export function nearestWord(written: string, known: Iterable<string>): string | undefined {
  let best: string | undefined
  let least = Infinity
  for (const word of known) {
    const far = distance(written.toLowerCase(), word.toLowerCase())
    if (far < least && far <= Math.max(1, Math.ceil(word.length / 3))) {
      best = word
      least = far
    }
  }
  return best
}

function describe(remaining: string, error: SyntaxError): Omit<SentenceFault, 'offset'> {
  const words: string[] = []
  const descriptions: string[] = []
  for (const expectation of error.expected ?? []) {
    const text = expectation.text ?? expectation.description
    if (text === undefined || text === 'a blank') continue
    const into = expectation.type === 'literal' ? words : descriptions
    if (!into.includes(text)) into.push(text)
  }
  const expected = [...words.map((word) => `"${word}"`), ...descriptions]
  const found = `"${firstWords(remaining, 2)}"`
  const meant = words
    .map((word) => nearestWord(firstWords(remaining, word.split(' ').length), [word]))
    .find((word) => word !== undefined)
  const hint = meant === undefined ? bareNumberHint(remaining, descriptions) : `. Did you mean "${meant}"?`
  if (remaining === '')
    return {
      message: `the sentence is not finished${expected.length === 0 ? '' : `: ${listWords(expected)} comes next`}`,
    }
  const message = `expected ${expected.length === 0 ? 'the end' : listWords(expected)}, found ${found}${hint}`
  if (meant === undefined) return { message }
  return { message, fix: { length: firstWords(remaining, meant.split(' ').length).length, text: meant } }
}

function bareNumberHint(remaining: string, descriptions: string[]): string {
  const number = /^\d+(\.\d+)?\s*$/.exec(remaining)
  const needsUnit = descriptions.some((text) => text.includes(' such as '))
  return number !== null && needsUnit ? '. A bare number has no unit' : ''
}

function firstWords(text: string, count: number): string {
  return text.trimStart().split(/\s+/).slice(0, count).join(' ').slice(0, 40)
}

function listWords(words: string[]): string {
  if (words.length < 2) return words.join('')
  return `${words.slice(0, -1).join(', ')} or ${words.at(-1) ?? ''}`
}
