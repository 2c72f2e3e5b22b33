// YAML text to nodes with positions; what YAML allows and a plan does not is refused here, with the cure.
import {
  isAlias,
  Lexer,
  isCollection,
  isNode,
  isMap,
  isScalar,
  LineCounter,
  parseDocument,
  visit,
  type Node,
  type Scalar,
  type YAMLMap,
} from 'yaml'
import type { Fix, Problem } from './model.js'

/** The largest plan, target or file of steps, as text in UTF-8. */
export const MOST_PLAN_BYTES = 1_000_000
const MAX_ENTRIES = 20_000
const MAX_LEVELS = 20
/** More of them say no more. */
export const MOST_PROBLEMS = 200

/** One file being read: its nodes, and the problems found so far. */
export interface Source {
  file: string
  text: string
  root: Node | null
  problems: Problem[]
  /** YAML itself could not read all of it: what seems to be missing may only be unread. */
  isBroken: boolean
  /** Notes an error at an offset of the text. Reading continues, so that one pass finds them all. */
  report(offset: number, code: string, message: string, fix?: Fix): void
  positionAt(offset: number): { file: string; line: number; column: number }
}

/**
 * Parses one YAML file of a plan, a target or shared steps.
 *
 * @param file - its path in the repository, for messages
 * @param text - its content; at most 1 MB and 20 levels
 * @returns the nodes (null when nothing can be read) and the problems so far
 */
// eslint-disable-next-line max-lines-per-function -- one limit of a text after another
export function openSource(file: string, text: string): Source {
  const lines = new LineCounter()
  const problems: Problem[] = []
  const positionAt = (offset: number) => {
    const { line, col } = lines.linePos(Math.min(offset, text.length))
    return { file, line: Math.max(line, 1), column: Math.max(col, 1) }
  }
  const source: Source = {
    file,
    text,
    root: null,
    isBroken: false,
    problems,
    positionAt,
    report: (offset, code, message, fix) => {
      if (problems.length >= MOST_PROBLEMS) return
      problems.push({ severity: 'error', code, message, ...positionAt(offset), ...(fix === undefined ? {} : { fix }) })
    },
  }
  if (new TextEncoder().encode(text).length > MOST_PLAN_BYTES) {
    problems.push({
      severity: 'error',
      code: 'TOO_LARGE',
      message: 'the file is larger than 1 MB',
      file,
      line: 1,
      column: 1,
    })
    return source
  }
  const refuse = (at: number, code: string, message: string) => {
    for (let end = text.indexOf('\n'); end >= 0; end = text.indexOf('\n', end + 1)) lines.addNewLine(end + 1)
    source.isBroken = true
    source.report(at, code, message)
    return source
  }
  const deepAt = tooDeepAt(text)
  if (deepAt !== undefined) return refuse(deepAt, 'TOO_DEEP', `the file nests deeper than ${String(MAX_LEVELS)} levels`)
  const manyAt = tooManyAt(text)
  if (manyAt !== undefined)
    return refuse(
      manyAt,
      'TOO_MANY',
      `the file has more than ${String(MAX_ENTRIES)} entries: put data into files of its own`,
    )
  try {
    const doc = parseDocument(text, {
      version: '1.2',
      uniqueKeys: false,
      prettyErrors: false,
      lineCounter: lines,
      stringKeys: false,
    })
    for (const error of doc.errors) source.report(error.pos[0], 'YAML', yamlMessage(text, error.pos[0], error.message))
    source.isBroken = doc.errors.length > 0
    if (!source.isBroken) refuseExtras(doc, source)
    const isTooDeep = problems.some((problem) => problem.code === 'TOO_DEEP')
    source.root = isTooDeep ? null : doc.contents
  } catch (error) {
    if (!(error instanceof RangeError)) throw error
    source.isBroken = true
    source.report(0, 'TOO_DEEP', `the file nests deeper than ${String(MAX_LEVELS)} levels`)
  }
  return source
}

/** Where a file has more entries than anybody would read, by the marks that part them; undefined where it has not. */
function tooManyAt(text: string): number | undefined {
  let entries = 0
  for (let at = 0; at < text.length; at++) {
    const mark = text.charCodeAt(at)
    if ((mark === COMMA || mark === NEW_LINE) && ++entries > MAX_ENTRIES) return at
  }
  return undefined
}
const [COMMA, NEW_LINE] = [44, 10]

/**
 * The problems of a file. Where YAML itself could not read it, what follows is guessed from the rest: only the first
 * slip is told, at its place.
 */
export function problemsOf({ problems, isBroken, file }: Source): Problem[] {
  if (!isBroken) return problems
  const own = problems.filter((problem) => problem.file === file)
  const first = own.find(({ code }) => code === 'YAML') ?? own[0]
  return [...(first === undefined ? [] : [first]), ...problems.filter((problem) => problem.file !== file)]
}

/**
 * Offset at which brackets, or dashes on one line, nest too deep. The tokens alone tell, in one pass: the parser takes
 * minutes over a hundred thousand open brackets.
 */
function tooDeepAt(text: string): number | undefined {
  let offset = 0
  let brackets = 0
  let dashes = 0
  for (const token of new Lexer().lex(text)) {
    if (token === '[' || token === '{') brackets++
    else if (token === ']' || token === '}') brackets = Math.max(0, brackets - 1)
    else if (token === '-' || token === '?') dashes++
    else if (token.includes('\n')) dashes = 0
    if (brackets > MAX_LEVELS || dashes > MAX_LEVELS) return offset
    // Marks of the lexer itself stand for no text.
    if (!MARKS.has(token)) offset += token.length
  }
  return undefined
}

/** Byte order mark, document start, end of flow, and scalar, as the lexer marks them. */
const MARKS = new Set(['\u0002', '\u0018', '\u001f'])

function refuseExtras(doc: ReturnType<typeof parseDocument>, source: Source): void {
  visit(doc, (_, node, path) => {
    if (!isNode(node)) return undefined
    const offset = node.range?.[0] ?? 0
    if (isAlias(node)) source.report(offset, 'ALIAS', 'anchors and aliases are not supported: write the value out')
    else if (node.anchor !== undefined)
      source.report(offset, 'ANCHOR', 'anchors are not supported: write the value out where it is needed')
    else if (node.tag !== undefined && node.tag !== '' && hasWrittenTag(source.text, offset))
      source.report(offset, 'TAG', 'tags are not supported: remove the tag')
    if (isMap(node)) refuseTwins(node, source)
    if (isScalar(node) && node.value === '<<')
      source.report(offset, 'MERGE', 'merge keys are not supported: write the keys out')
    const levels = path.filter((parent) => isCollection(parent)).length
    if (isCollection(node) && levels >= MAX_LEVELS) {
      source.report(offset, 'TOO_DEEP', `the file nests deeper than ${String(MAX_LEVELS)} levels`)
      source.isBroken = true
      return visit.BREAK
    }
    return undefined
  })
}

/** The library compares every key with every other, which takes half a minute for some thousand keys. */
function refuseTwins(map: YAMLMap, source: Source): void {
  const seen = new Set<string>()
  for (const { key } of map.items) {
    if (!isScalar(key)) continue
    const name = writtenText(key)
    if (seen.has(name)) {
      source.report(key.range?.[0] ?? 0, 'YAML', `"${name}" stands here twice: keep one of them`)
      source.isBroken = true
    }
    seen.add(name)
  }
}

function hasWrittenTag(text: string, offset: number): boolean {
  return text[offset] === '!' || /![^\s"']*\s+$/.test(text.slice(Math.max(0, offset - 40), offset))
}

/** The cure for the traps that YAML itself reports, else YAML's own words. */
function yamlMessage(text: string, offset: number, message: string): string {
  const lineStart = text.lastIndexOf('\n', offset - 1) + 1
  const lineEnd = text.indexOf('\n', offset)
  const line = text.slice(lineStart, lineEnd === -1 ? text.length : lineEnd)
  const inFlow = /[{[].*[^\s{[,:][{[]/.test(line)
  if (inFlow) return `a { or [ inside a plain text ends it in YAML: put the whole text in double quotes (${message})`
  if (/^\s*-\s.*["/].*: /.test(line))
    return `YAML split this sentence at ": ": put the whole sentence in single quotes (${message})`
  return `this is not YAML: ${message}`
}

/** What the author wrote for a scalar: a plain one means its source text, a quoted one its content. */
export function writtenText(node: Scalar): string {
  if (node.type === 'PLAIN' && typeof node.source === 'string') return node.source
  return typeof node.value === 'string' ? node.value : String(node.value)
}

/** Offset of a sentence's own character in the file; exact for plain and quoted scalars on one line. */
export function offsetInScalar(node: Scalar, inside: number): number {
  const start = node.range?.[0] ?? 0
  const quoted = node.type === 'QUOTE_DOUBLE' || node.type === 'QUOTE_SINGLE'
  return start + inside + (quoted ? 1 : 0)
}

/** How many errors were found so far: the one who reports what may follow from another slip compares with before. */
export const errorsIn = ({ problems }: Source): number => problems.filter(({ severity }) => severity === 'error').length
