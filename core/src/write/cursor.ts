// Where in the format a cursor stands, in a text that may not be whole yet: by margins and dashes alone.
import { shapeFor, shapeInside, rootShapeOf } from './context-of.js'
import type { Shape } from '../plan/vocabulary.js'

export interface Cursor {
  /** What the place takes: the map whose key is written, or what stands under a key. */
  shape: Shape
  /** Keys of the map at the cursor, without the one that is written. */
  siblings: string[]
  /** Whether a key is written, or a value, or a sentence of a list. */
  place: 'key' | 'value'
  /** What is written of it so far, and where that begins. */
  written: string
  from: number
  /** Keys on the way from the top. */
  keys: string[]
}

interface Level {
  indent: number
  key: string | undefined
  /** Whether the parts of this level are items of a list. */
  isItem: boolean
}
const LINE = /^(\s*)((?:-\s+)*)(?:("[^"]*"|'[^']*'|[^\s#:'"[{-][^:#[{]*?)\s*:(?=\s|$))?/

/** Where the cursor stands; undefined in a comment. */
export function cursorAt(file: string, text: string, offset: number): Cursor | undefined {
  const lines = text.split('\n')
  const number = text.slice(0, offset).split('\n').length - 1
  const start = text.lastIndexOf('\n', offset - 1) + 1
  const before = text.slice(start, offset)
  if (/(^|\s)#/.test(before)) return undefined
  const flow = flowAt(before)
  const head = flow === undefined ? before : before.slice(0, flow.opens[0]?.at ?? 0)
  const [, margin = '', dashes = '', key] = LINE.exec(head) ?? []
  const path = levelsAbove(lines, number, margin.length)
  const own: Level[] = dashesOf(margin.length, dashes)
  const column = margin.length + dashes.length
  const levels = [...path, ...own]
  const step = (shape: Shape, level: Level, keys: string[]): Shape | undefined =>
    level.isItem
      ? shapeInside(shapeFor(shape, 'list'), 0, [])
      : shapeInside(shapeFor(shape, 'map'), unquoted(level.key ?? ''), keys)
  let shape: Shape | undefined = rootShapeOf(file)
  for (const level of levels) {
    const keys = level.isItem
      ? []
      : keysBeside(lines, level === own[0] ? number : lineOf(lines, number, level), level.indent)
    shape = shape === undefined ? undefined : step(shape, level, keys)
  }
  if (shape === undefined) return undefined
  const keys = levels.flatMap((level) => (level.key === undefined ? [] : [unquoted(level.key)]))
  const siblings = keysBeside(lines, number, column)
  if (flow !== undefined) {
    const under = key === undefined ? shape : shapeInside(shapeFor(shape, 'map'), unquoted(key), siblings)
    return under === undefined
      ? undefined
      : inFlow(under, flow, start, key === undefined ? keys : [...keys, unquoted(key)])
  }
  if (key !== undefined && /:\s/.test(before.slice(column + key.length))) {
    const under = shapeInside(shapeFor(shape, 'map'), unquoted(key), siblings)
    if (under === undefined) return undefined
    const written = before.slice(column + key.length).replace(/^\s*:\s+/, '')
    return {
      shape: under,
      siblings: [],
      place: 'value',
      written,
      from: offset - written.length,
      keys: [...keys, unquoted(key)],
    }
  }
  const written = before.slice(column)
  const isKey = shape.kind !== 'sentence' && shape.kind !== 'text'
  return {
    shape,
    siblings: siblings.filter((one) => one !== written.trim()),
    place: isKey ? 'key' : 'value',
    written,
    from: offset - written.length,
    keys,
  }
}

const unquoted = (key: string) => key.replace(/^(["'])(.*)\1$/, '$2')

/** One level of a list for each dash that stands before the key of a line. */
function dashesOf(margin: number, dashes: string): Level[] {
  return [...dashes.matchAll(/-\s+/g)].map(({ index }) => ({ indent: margin + index, key: undefined, isItem: true }))
}

/** The keys and items that a line stands in, from the top. */
function levelsAbove(lines: readonly string[], number: number, margin: number): Level[] {
  const levels: Level[] = []
  let least = margin
  // A list may stand at the margin of its key.
  let isList = /^\s*-/.test(lines[number] ?? '')
  for (let line = number - 1; line >= 0 && (least > 0 || isList); line--) {
    const text = lines[line] ?? ''
    if (text.trim() === '' || /^\s*#/.test(text)) continue
    const [, space = '', dashes = '', key] = LINE.exec(text) ?? []
    const column = space.length + dashes.length
    if (
      key !== undefined &&
      (column < least || (isList && column === least && dashes === '' && !text.trimStart().startsWith('-')))
    ) {
      levels.unshift({ indent: column, key, isItem: false })
      least = column
      isList = false
    }
    const items = dashesOf(space.length, dashes).filter(({ indent }) => indent < least)
    if (items.length > 0) {
      levels.unshift(...items)
      least = space.length
      isList = true
    }
  }
  return levels
}

function lineOf(lines: readonly string[], number: number, level: Level): number {
  for (let line = number; line >= 0; line--) {
    const [, space = '', dashes = '', key] = LINE.exec(lines[line] ?? '') ?? []
    if (key === level.key && space.length + dashes.length === level.indent) return line
  }
  return number
}

/** Keys of the map that has a key at a column on that line or would have. */
function keysBeside(lines: readonly string[], number: number, column: number): string[] {
  const keys: string[] = []
  const walk = (from: number, by: number) => {
    for (let line = from; line >= 0 && line < lines.length; line += by) {
      const text = lines[line] ?? ''
      if (text.trim() === '' || /^\s*#/.test(text)) continue
      const [, space = '', dashes = '', key] = LINE.exec(text) ?? []
      const at = space.length + dashes.length
      const isFirst = dashes !== '' && space.length < column
      if (by > 0 && isFirst && line !== number) return
      if (at < column) return
      if (at === column && key !== undefined) keys.push(unquoted(key))
      if (by < 0 && isFirst) return
    }
  }
  walk(number, -1)
  const isItem = /^\s*(-\s+)+/.exec(lines[number] ?? '')
  walk(number + 1, 1)
  return isItem === null ? keys : [...new Set(keys)]
}

interface Flow {
  opens: { at: number; bracket: string }[]
  before: string
}

/** The braces and brackets that are open at the end of a line's beginning. */
function flowAt(before: string): Flow | undefined {
  const opens: Flow['opens'] = []
  let quote = ''
  for (let at = 0; at < before.length; at++) {
    const character = before[at] ?? ''
    if (quote !== '') {
      if (character === quote) quote = ''
    } else if ((character === '"' || character === "'") && /[\s[{,:-]$/.test(before.slice(0, at))) quote = character
    else if (character === '{' || character === '[') {
      if (opens.length > 0 || /[\s-]$/.test(before.slice(0, at))) opens.push({ at, bracket: character })
    } else if ((character === '}' || character === ']') && opens.length > 0) opens.pop()
  }
  return opens.length === 0 ? undefined : { opens, before }
}

function inFlow(shape: Shape, { opens, before }: Flow, start: number, keys: string[]): Cursor | undefined {
  let inside: Shape | undefined = shape
  for (const [index, open] of opens.entries()) {
    const next = opens[index + 1]
    const part = before.slice(open.at + 1, next?.at ?? before.length)
    const pieces = splitFlow(part)
    const piece = pieces.at(-1) ?? { text: '', at: 0 }
    const [, key, colon] = /^\s*("[^"]*"|[^:,]*?)\s*(:)(?=\s|$)/s.exec(piece.text) ?? []
    const siblings = pieces.slice(0, -1).map(({ text }) => unquoted((text.split(':')[0] ?? '').trim()))
    const isMap = open.bracket === '{'
    const at = start + open.at + 1 + piece.at
    const chosen: Shape = shapeFor(inside, isMap ? 'map' : 'list')
    if (next === undefined) {
      if (isMap && colon === undefined) {
        const written = piece.text.trimStart()
        return { shape: chosen, siblings, place: 'key', written, from: at + piece.text.length - written.length, keys }
      }
      const under = shapeInside(chosen, isMap ? unquoted(key ?? '') : 0, siblings)
      if (under === undefined) return undefined
      const written = isMap ? piece.text.replace(/^[^:]*:\s*/, '') : piece.text.trimStart()
      return {
        shape: under,
        siblings: [],
        place: 'value',
        written,
        from: at + piece.text.length - written.length,
        keys: isMap ? [...keys, unquoted(key ?? '')] : keys,
      }
    }
    inside = shapeInside(chosen, isMap ? unquoted(key ?? '') : 0, siblings)
    if (inside === undefined) return undefined
  }
  return undefined
}

/** The parts between commas, with where each begins. */
function splitFlow(part: string): { text: string; at: number }[] {
  const pieces: { text: string; at: number }[] = []
  let [depth, from] = [0, 0]
  let quote = ''
  for (let at = 0; at <= part.length; at++) {
    const character = part[at] ?? ''
    if (quote !== '') {
      if (character === quote) quote = ''
    } else if (character === '"') quote = character
    else if ('[{'.includes(character) && character !== '') depth++
    else if (']}'.includes(character) && character !== '') depth--
    if (at === part.length || (character === ',' && depth === 0 && quote === '')) {
      pieces.push({ text: part.slice(from, at), at: from })
      from = at + 1
    }
  }
  return pieces
}
