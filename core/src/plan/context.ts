// What the readers of steps share: the file being read, the other files of the repository, and the defaults.
import { nearestWord } from '../language/sentences.js'
import { fixOf, offsetOf, readText, type Field } from './fields.js'
import type { Check, OnFailure } from './model.js'
import type { Source } from './source.js'

/** Gives the text of another file of the repository, or undefined when there is none. */
export type FileReader = (path: string) => string | undefined

export interface StepContext {
  source: Source
  files: FileReader
  /** Prefixes that XPath expressions may use. */
  namespaces: Readonly<Record<string, string>>
  defaults: Defaults
  isSetup: boolean
  /** Steps that prepare and clear away, outside the load: setup and teardown. */
  isOnce: boolean
  /** Files of shared steps that are being read, so that a ring of them ends. */
  opened: readonly string[]
  /** Steps read so far: shared steps that use shared steps twice each are soon more than any machine holds. */
  count: { steps: number }
}

export interface Defaults {
  headers: [string, string][]
  timeoutMs: number
  checks: Check[]
  onFailure: OnFailure
}

type FileContext = Pick<StepContext, 'source' | 'files'>

/** A path of the repository, of a file that is there; reports what is not. */
export function readRepositoryFile(context: FileContext, field: Field | undefined, what: string): string | undefined {
  const path = readText(context.source, field, what)
  if (path === undefined || field === undefined) return undefined
  return fileTextAt(context, offsetOf(field.value), path) === undefined ? undefined : path
}

/** The text of a file of the repository; reports a path that leads outside, and a file that is not there. */
export function fileTextAt({ source, files }: FileContext, at: number, path: string): string | undefined {
  if (path.startsWith('/') || path.includes('\\') || path.split('/').includes('..')) {
    source.report(at, 'FILE', `"${path}" must be a path inside this repository`)
    return undefined
  }
  const text = files(path)
  if (text === undefined)
    source.report(at, 'FILE', `no file ${path} in the repository (one over 64 MB, or 16 MB on a server, is not read)`)
  return text
}

const NAME = /^[A-Za-z0-9_]+$/
const RESERVED = ['secret', 'run', 'user', 'journey', 'now']

/** Reports a name that no value may have. */
export function checkValueName(source: Source, field: Field, name: string): void {
  if (!NAME.test(name))
    source.report(offsetOf(field.key), 'NAME', `a value's name may have letters, digits and _, found "${name}"`)
  if (RESERVED.includes(name))
    source.report(offsetOf(field.key), 'RESERVED', `"${name}" is reserved; choose another name`)
}

/** One of a few words; reports any other with the nearest. */
export function readWord<Word extends string>(
  source: Source,
  field: Field | undefined,
  what: string,
  words: readonly Word[],
): Word | undefined {
  const text = readText(source, field, what)
  if (text === undefined || field === undefined) return undefined
  const found = words.find((word) => word === text)
  if (found !== undefined) return found
  const meant = nearestWord(text, words)
  source.report(
    offsetOf(field.value),
    'WORD',
    `${what} must be ${words.map((word) => `"${word}"`).join(' or ')}, found "${text}"${meant === undefined ? '' : `. Did you mean "${meant}"?`}`,
    fixOf(text, meant),
  )
  return undefined
}
