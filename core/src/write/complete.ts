// What may be written at a cursor, and what a word of the format means.
import { parse, SyntaxError, type Sentences } from '../../grammar/sentences.js'
import { METHODS, type Plan } from '../plan/model.js'
import { RESERVED_NAMES } from '../plan/names.js'
import type { Target } from '../plan/target-model.js'
import { groupsOf, timedOf } from '../plan/steps/walk.js'
import { CONTEXTS, STEP_CONTEXTS, type ContextName } from '../plan/vocabulary.js'
import { contextFor, shapeFor, stepContext } from './context-of.js'
import { cursorAt, type Cursor } from './cursor.js'

export interface Completion {
  /** What stands in the list. */
  label: string
  /** What is written for it. */
  insert: string
  about: string
}
export interface Completions {
  from: number
  options: Completion[]
}
/** What is known of the plan beside its text. */
export interface Surroundings {
  plan: Plan
  target: Target | null
  /** Paths of the other files of the repository. */
  files: readonly string[]
}

/**
 * What may stand at an offset of a file; undefined where nothing is known.
 *
 * @param file - its path, which says what kind of file it is
 * @param offset - of the cursor, in UTF-16 units
 * @param around - what is known of the plan and its target
 */
export function completionsAt(
  file: string,
  text: string,
  offset: number,
  around: Surroundings,
): Completions | undefined {
  // A brace right after a character is a name in a text; one after a blank opens a map.
  const brace = /[^\s[{]\{[?&]?([\w.]*)$/.exec(text.slice(Math.max(0, offset - 200), offset))
  if (brace !== null) {
    const options = namesKnown(around).map((name) => ({ label: name, insert: name, about: 'a value' }))
    return { from: offset - (brace[1] ?? '').length, options }
  }
  const cursor = cursorAt(file, text, offset)
  if (cursor === undefined) return undefined
  if (cursor.place === 'value') return valuesAt(cursor, around, offset)
  const options = keyOptions(cursor)
  const sentence =
    cursor.shape.kind === 'one of' && cursor.siblings.length === 0 ? shapeFor(cursor.shape, 'scalar') : undefined
  const spoken = sentence?.kind === 'sentence' ? sentenceOptions(sentence.rule, cursor, around) : undefined
  if (spoken !== undefined)
    return spoken.from === cursor.from ? { from: cursor.from, options: [...spoken.options, ...options] } : spoken
  return options.length === 0 ? undefined : { from: cursor.from, options }
}

/**
 * What the key under a cursor means, with an example.
 *
 * @param offset - in UTF-16 units
 * @returns undefined where no key stands there
 */
export function meaningAt(
  file: string,
  text: string,
  offset: number,
): { key: string; about: string; example: string } | undefined {
  const lineStart = text.lastIndexOf('\n', offset - 1) + 1
  const line = text.slice(lineStart, text.indexOf('\n', offset) >>> 0)
  for (const found of line.matchAll(/(?<=^\s*(?:-\s+)*|[{,]\s*)([A-Za-z][\w]*(?: [\w]+)*)(?=\s*:(?:\s|$))/g)) {
    const from = lineStart + found.index
    if (offset < from || offset > from + found[0].length) continue
    const cursor = cursorAt(file, text, from)
    if (cursor === undefined) return undefined
    const shape = shapeFor(cursor.shape, 'map')
    const key = found[0]
    const context =
      shape.kind === 'step'
        ? (stepContext([key]) ?? stepContext(cursor.siblings))
        : contextFor(shape, [key, ...cursor.siblings])
    const meant = context === undefined ? undefined : CONTEXTS[context].keys[key]
    return meant === undefined ? undefined : { key, about: meant.about, example: meant.example }
  }
  return undefined
}

function keyOptions({ shape, siblings }: Cursor): Completion[] {
  const chosen = shapeFor(shape, 'map')
  if (chosen.kind === 'step' && stepContext(siblings) === undefined)
    return STEP_CONTEXTS.flatMap((name) => keyOption(name, Object.keys(CONTEXTS[name].keys)[0] ?? name))
  const context = contextFor(chosen, siblings)
  if (context === undefined) return []
  return Object.keys(CONTEXTS[context].keys)
    .filter((key) => !siblings.includes(key))
    .flatMap((key) => keyOption(context, key))
}

function keyOption(context: ContextName, key: string): Completion[] {
  const meant = CONTEXTS[context].keys[key]
  return meant === undefined ? [] : [{ label: key, insert: `${key}: `, about: meant.about }]
}

function valuesAt(cursor: Cursor, around: Surroundings, offset: number): Completions | undefined {
  const { written, from } = cursor
  const shape = shapeFor(cursor.shape, 'scalar')
  const all = (words: readonly string[], about = ''): Completions | undefined =>
    words.length === 0 ? undefined : { from, options: words.map((word) => ({ label: word, insert: word, about })) }
  switch (shape.kind) {
    case 'words':
      return all(shape.words)
    case 'switch':
      return all(['yes', 'no'])
    case 'request':
      return /^\w*$/.test(written)
        ? { from, options: METHODS.map((word) => ({ label: word, insert: `${word} `, about: 'a method' })) }
        : undefined
    case 'file':
      return all(
        around.files.filter((path) => path.endsWith(shape.ending)),
        'a file of this repository',
      )
    case 'sentence':
      return sentenceOptions(shape.rule, cursor, around)
    case 'text': {
      const key = cursor.keys.at(-1)
      if (key === 'target')
        return all(
          around.files.flatMap((path) => /^targets\/(.+)\.target\.yaml$/.exec(path)?.[1] ?? []),
          'a target',
        )
      const refresh = key === 'refresh' && offset === from
      return refresh ? all(['every 20m']) : undefined
    }
    default:
      return undefined
  }
}

/**
 * What may come next in a sentence of the format.
 *
 * @returns texts that may stand from an offset of the sentence on
 */
export function completeSentence(
  rule: keyof Sentences,
  sentence: string,
  around: Surroundings,
): { from: number; text: string }[] {
  const found = sentenceOptions(rule, { written: sentence, from: 0 }, around)
  return found === undefined ? [] : found.options.map(({ insert }) => ({ from: found.from, text: insert }))
}

/** What the grammar takes where a sentence ends so far; names come from the plan. */
function sentenceOptions(
  rule: keyof Sentences,
  { written, from }: Pick<Cursor, 'written' | 'from'>,
  around: Surroundings,
): Completions | undefined {
  const sentence = written.replace(/^["']/, '')
  const quote = written.length - sentence.length
  let offset = sentence.length
  let expected: { type: string; text?: string; description?: string }[] = []
  try {
    parse(`${sentence}\0`, { startRule: rule })
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error
    offset = error.location.start.offset
    expected = error.expected ?? []
  }
  const rest = sentence.slice(offset)
  const literals = expected.flatMap(({ type, text }) => (type === 'literal' && text !== undefined ? [text] : []))
  const described = expected.flatMap(({ description }) => description ?? [])
  const words = [
    ...literals.filter((word) => /^[a-z]/i.test(word)),
    ...described.flatMap((one) => namesFor(one, sentence, around)),
  ]
  const options = [...new Set(words)]
    .filter((word) => word.startsWith(rest))
    .map((word) => ({ label: word, insert: word, about: '' }))
  return options.length === 0 ? undefined : { from: from + quote + offset, options }
}

const STATISTICS = ['p95', 'p99', 'median', 'mean', 'max', 'min', 'sd']

function namesFor(description: string, sentence: string, { plan, target }: Surroundings): string[] {
  const quoted = (names: Iterable<string>) => [...new Set(names)].map((name) => JSON.stringify(name))
  if (description.startsWith('a statistic')) return STATISTICS
  if (description === 'the name of a phase')
    return [...new Set(plan.load.phases.flatMap(({ name, ladder }) => [ladder ?? name, name]))].map((name) =>
      /^[\w-]+$/.test(name) ? name : JSON.stringify(name),
    )
  if (description === 'a string in double quotes') {
    if (/in journey\s+\S*$/.test(sentence)) return quoted(plan.journeys.map(({ name }) => name))
    if (/from place\s+\S*$/.test(sentence)) return quoted((plan.places ?? []).map(({ name }) => name))
    if (/on network\s+\S*$/.test(sentence)) return quoted((plan.networks ?? []).map(({ name }) => name))
    if (/metric\s+\S*$/.test(sentence)) return quoted(target?.metrics.map(({ name }) => name) ?? [])
    if (/group time of\b/.test(sentence))
      return quoted(plan.journeys.flatMap(({ steps }) => [...groupsOf(steps)].map(({ name }) => name)))
    if (/\bof\s+[^]*$/.test(sentence))
      return quoted(
        plan.journeys.flatMap(({ steps }) =>
          [...timedOf(steps)].flatMap(({ name, isRequest }) => (isRequest ? [name] : [])),
        ),
      )
  }
  if (description === 'a path') return ['$.']
  return []
}

/** Every name that a text of the plan may use in braces. */
export function namesKnown({ plan, target }: Pick<Surroundings, 'plan' | 'target'>): string[] {
  const kept = [plan.setup, ...plan.journeys.map(({ steps }) => steps)].flatMap((steps) =>
    [...timedOf(steps)].flatMap(({ keeps }) => keeps.map(({ name }) => name)),
  )
  return [
    ...new Set([
      ...kept,
      ...plan.values.map(({ name }) => name),
      ...plan.data.flatMap(({ name, columns }) => columns.map((column) => `${name}.${column}`)),
      ...(target?.values.map(([name]) => name) ?? []),
      ...(target?.secrets.map((name) => `secret.${name}`) ?? []),
      ...RESERVED_NAMES,
    ]),
  ]
}
