// Values as YAML text, the way a person would write them in a plan.
import { isScalar, isSeq, parseDocument } from 'yaml'
import { writtenText } from '../plan/source.js'
import { STEP_CONTEXTS } from '../plan/vocabulary.js'

/** What is written: texts as they are, and in JSON bodies numbers, truths and null. */
export type Written = string | number | boolean | null | readonly Written[] | { readonly [key: string]: Written }

const WIDTH = 100
/** Maps under these keys are short, and stand on one line where they fit. */
const ON_ONE_LINE = new Set([
  'with',
  'query',
  'auth',
  'json',
  'labels',
  'value',
  'phase',
  'data',
  'weights',
  'pick',
  'list',
  'basic',
  'repeat',
])

/** Most texts need no parser to be known as plain. */
const SURELY_PLAIN = /^[A-Za-z/$][\w/$.-]*(?: [\w/$.-]+)*$/
const WORDS_OF_YAML = /^(?:true|false|null|yes|no|on|off|y|n)$/i

/**
 * A text as a scalar: plain where YAML reads it back as it is, else in quotes.
 *
 * @param inFlow - between braces or brackets, where more characters mean something
 * @param isJson - in a JSON body, where `1` and `"1"` differ
 */
export function writeScalar(text: string, inFlow: boolean, isJson = false): string {
  if (SURELY_PLAIN.test(text) && !WORDS_OF_YAML.test(text)) return text
  const isPlain = text !== '' && !/[\n\r]/.test(text) && !(isJson && /^[+-]?[\d.]/.test(text))
  const candidates = isPlain ? [text, `'${text.replaceAll("'", "''")}'`] : []
  const [plain, single] = candidates
  if (plain !== undefined && readsAs(plain, text, inFlow, isJson)) return plain
  const double = JSON.stringify(text)
  // A sentence with quotes in it reads better in single ones.
  if (single !== undefined && text.includes('"') && readsAs(single, text, inFlow, isJson)) return single
  return double
}

function readsAs(written: string, text: string, inFlow: boolean, isJson: boolean): boolean {
  const { contents, errors, comment } = parseDocument(inFlow ? `[${written}]` : `- ${written}\n`, {
    prettyErrors: false,
  })
  if (errors.length > 0 || !isSeq(contents) || contents.items.length !== 1 || comment !== null) return false
  const [item] = contents.items
  if (!isScalar(item) || item.comment !== undefined || item.tag?.startsWith('!') === true) return false
  if (item.anchor !== undefined) return false
  if (isJson && typeof item.value !== 'string') return false
  return writtenText(item) === text && (item.value !== null || text !== '')
}

/**
 * A value after `key:` or `- `.
 *
 * @param column - where the keys or dashes of a block under it stand
 * @param under - the key or kind of list that it stands under, which decides what goes on one line
 */
export function writeValue(value: Written, column: number, under: string): string {
  if (value === null || typeof value === 'number' || typeof value === 'boolean') return String(value)
  if (typeof value === 'string') return writeText(value, column, under)
  const flow = writeFlow(value, under === 'json')
  if (isEmpty(value)) return flow
  if (isShort(value, under) && flow.length + column <= WIDTH) return flow
  return `\n${writeBlock(value, column, under)}`
}

/** A map or a list in lines, each beginning at a column. */
export function writeBlock(
  value: Exclude<Written, string | number | boolean | null>,
  column: number,
  under: string,
): string {
  const margin = ' '.repeat(column)
  if (isList(value)) return value.map((item) => `${margin}${writeItem(item, column, under)}`).join('\n')
  return Object.entries(value)
    .map(([key, child]) => `${margin}${writeEntry(key, child, column, under)}`)
    .join('\n')
}

/** `- value`, its first line without the margin. */
export function writeItem(item: Written, column: number, under: string): string {
  const kind = under === 'load' ? 'phase' : under
  const written = writeValue(item, column + 2, kind)
  return written.startsWith('\n') ? `- ${written.trimStart()}` : `- ${written}`
}

/** `key: value`, its first line without the margin. */
export function writeEntry(key: string, value: Written, column: number, under = ''): string {
  const kind = under === 'json' || under === 'values' || under === 'data' ? (under === 'values' ? 'value' : under) : key
  const written = writeValue(value, column + 2, kind)
  return `${writeScalar(key, false)}:${written.startsWith('\n') ? '' : ' '}${written}`
}

function writeText(text: string, column: number, under: string): string {
  const isBlock = text.includes('\n') && !/[\r\t]|^\s|[ ]\n/.test(text) && under !== 'json'
  if (!isBlock) return writeScalar(text, false, under === 'json')
  const lines = text.replace(/\n$/, '').split('\n')
  const margin = ' '.repeat(column)
  return `|${text.endsWith('\n') ? '' : '-'}\n${lines.map((line) => (line === '' ? '' : margin + line)).join('\n')}`
}

export function writeFlow(value: Written, isJson: boolean): string {
  if (typeof value === 'string') return writeScalar(value, true, isJson)
  if (value === null || typeof value !== 'object') return String(value)
  if (isList(value)) return `[${value.map((item) => writeFlow(item, isJson)).join(', ')}]`
  const entries = Object.entries(value).map(([key, child]) => `${writeScalar(key, true)}: ${writeFlow(child, isJson)}`)
  return entries.length === 0 ? '{}' : `{ ${entries.join(', ')} }`
}

function isShort(value: Written, under: string): boolean {
  const isStep =
    typeof value === 'object' && value !== null && !isList(value) && STEP_CONTEXTS.some((kind) => kind in value)
  return !isStep && ON_ONE_LINE.has(under)
}

function isEmpty(value: Written): boolean {
  return typeof value === 'object' && value !== null && Object.keys(value).length === 0
}

function isList(value: Written): value is readonly Written[] {
  return Array.isArray(value)
}
