// Changes of a text that touch nothing but what they change: comments, order and blank lines stay.
import { CONTEXTS } from '../plan/vocabulary.js'
import { rootShapeOf, spotAt } from './context-of.js'
import { entryAt, nodeAt, treeOf, type Entry, type ListNode, type MapNode, type Path, type TreeNode } from './tree.js'
import { writeEntry, writeFlow, writeItem, writeScalar, writeValue, type Written } from './yaml-text.js'

export type Edit =
  /** Sets what stands at a path; what is missing on the way is made. */
  | { kind: 'set'; path: Path; value: Written }
  | { kind: 'remove'; path: Path }
  /** Puts an item before the one with that number, or last. */
  | { kind: 'insert'; list: Path; index: number; value: Written }
  /** Takes an item to a place of a list, which may be another; the number counts before the move. */
  | { kind: 'move'; path: Path; list: Path; index: number }
  | { kind: 'duplicate'; path: Path; key?: string }
  | { kind: 'rename key'; path: Path; to: string }

/** The characters from `from` to `to` become `insert`. */
export interface TextChange {
  from: number
  to: number
  insert: string
}

/**
 * Works out an edit on a file's text; the changes do not overlap, and are in order.
 *
 * @param tree - the nodes of the text, where they are known already
 */
export function editText(file: string, text: string, edit: Edit, tree = treeOf(text)): TextChange[] {
  return new Editing(file, text, tree).changes(edit).toSorted((a, b) => a.from - b.from)
}

/**
 * The text with changes made in it.
 *
 * @param changes - places in the text as it was, none over another
 */
export function applyChanges(text: string, changes: readonly TextChange[]): string {
  return changes
    .toSorted((a, b) => b.from - a.from)
    .reduce((so, { from, to, insert }) => so.slice(0, from) + insert + so.slice(to), text)
}

class Editing {
  constructor(
    private readonly file: string,
    private readonly text: string,
    private readonly tree: TreeNode | undefined,
  ) {}

  changes(edit: Edit): TextChange[] {
    switch (edit.kind) {
      case 'set':
        return this.set(edit.path, edit.value)
      case 'remove':
        return this.remove(edit.path)
      case 'insert':
        return this.insert(edit.list, edit.index, edit.value)
      case 'move':
        return this.move(edit.path, edit.list, edit.index)
      case 'duplicate':
        return this.duplicate(edit.path, edit.key)
      case 'rename key': {
        const entry = entryAt(this.tree, edit.path)
        const inFlow = this.isInFlow(edit.path)
        return entry === undefined ? [] : [{ from: entry.from, to: entry.keyTo, insert: writeScalar(edit.to, inFlow) }]
      }
      default:
        return edit satisfies never
    }
  }

  // ---------- set

  private set(path: Path, value: Written): TextChange[] {
    const last = path.at(-1)
    if (last === undefined) return []
    const parentPath = path.slice(0, -1)
    const parent = nodeAt(this.tree, parentPath)
    const node = nodeAt(this.tree, path)
    const inFlow = this.isInFlow(path)
    const under = this.kindOf(path)
    if (node !== undefined) {
      const at = { from: node.from, to: node.to }
      if (inFlow) return [{ ...at, insert: writeFlow(value, under === 'json') }]
      const column = this.columnOfParts(parent ?? node) + 2
      const written = writeValue(value, column, under)
      // A block begins on a line of its own, after the key; an item of a list on the line of its dash.
      const from = this.text.slice(0, node.from).trimEnd().length
      const isItem = parent?.kind === 'list'
      if (isItem) return [{ ...at, insert: written.trimStart() }]
      return [{ from, to: node.to, insert: written.startsWith('\n') ? written : ` ${written}` }]
    }
    const entry = entryAt(this.tree, path)
    if (entry !== undefined && parent?.kind === 'map') {
      const written = inFlow
        ? writeFlow(value, under === 'json')
        : writeValue(value, this.columnOfParts(parent) + 2, under)
      return [{ from: entry.to, to: entry.to, insert: written.startsWith('\n') ? written : ` ${written}` }]
    }
    if (parent === undefined) {
      const made: Written = typeof last === 'number' ? [value] : { [last]: value }
      return parentPath.length === 0
        ? [
            {
              from: this.text.length,
              to: this.text.length,
              insert: `${this.newlineAtEnd()}${writeEntry(String(last), value, 0)}\n`,
            },
          ]
        : this.set(parentPath, made)
    }
    if (parent.kind === 'list') return this.insert(parentPath, parent.items.length, value)
    return parent.kind === 'map'
      ? this.addEntry(parent, parentPath, String(last), value)
      : this.set(parentPath, { [last]: value })
  }

  private addEntry(map: MapNode, path: Path, key: string, value: Written): TextChange[] {
    const before = this.entryBefore(map, path, key)
    if (map.isFlow) {
      const written = `${writeScalar(key, true)}: ${writeFlow(value, this.kindOf([...path, key]) === 'json')}`
      if (map.entries.length === 0) return [{ from: map.from, to: map.to, insert: `{ ${written} }` }]
      const at = before?.to ?? map.entries[0]?.from ?? map.from
      return [{ from: at, to: at, insert: before === undefined ? `${written}, ` : `, ${written}` }]
    }
    const column = this.columnOfParts(map)
    const under = String(path.at(-1) ?? '')
    const written = writeEntry(key, value, column, under)
    const isSection = path.length === 0 && written.includes('\n')
    if (before === undefined) {
      const [first] = map.entries
      const at = first?.from ?? map.from
      return [{ from: at, to: at, insert: `${written}\n${' '.repeat(column)}` }]
    }
    const at = this.lineEnd(before.to)
    const gap = isSection && this.text.includes('\n\n') ? '\n' : ''
    return [{ from: at, to: at, insert: `\n${gap}${' '.repeat(column)}${written}` }]
  }

  /** The entry after which a new key stands: the format's own order, which is the order of the file where it can be. */
  private entryBefore(map: MapNode, path: Path, key: string): Entry | undefined {
    const context = spotAt(this.tree, rootShapeOf(this.file), path)?.context
    if (context === undefined) return map.entries.at(-1)
    const order = Object.keys(CONTEXTS[context].keys)
    const place = order.indexOf(key)
    if (place < 0) return map.entries.at(-1)
    return map.entries.filter((entry) => order.indexOf(entry.key) <= place).at(-1)
  }

  // ---------- lists

  private insert(listPath: Path, index: number, value: Written): TextChange[] {
    const list = nodeAt(this.tree, listPath)
    if (list?.kind !== 'list' || list.items.length === 0) return this.set(listPath, [value])
    const under = this.kindOf(listPath)
    if (list.isFlow) {
      const next = list.items[index]
      const at = next?.from ?? list.items.at(-1)?.to ?? list.from
      const written = writeFlow(value, false)
      return [{ from: at, to: at, insert: next === undefined ? `, ${written}` : `${written}, ` }]
    }
    const column = this.dashColumn(list)
    return this.insertLines(list, index, `${' '.repeat(column)}${writeItem(value, column, under)}`)
  }

  private insertLines(list: ListNode, index: number, lines: string): TextChange[] {
    const next = list.items[index]
    if (next !== undefined) {
      const at = this.blockStart(next)
      return [{ from: at, to: at, insert: `${lines}\n` }]
    }
    const at = this.lineEnd(list.items.at(-1)?.to ?? list.to)
    return [{ from: at, to: at, insert: `\n${lines}` }]
  }

  private move(path: Path, listPath: Path, index: number): TextChange[] {
    const parentPath = path.slice(0, -1)
    const [source, target, item] = [nodeAt(this.tree, parentPath), nodeAt(this.tree, listPath), nodeAt(this.tree, path)]
    if (source?.kind !== 'list' || item === undefined || source.isFlow) return []
    if (target !== undefined && (target.kind !== 'list' || target.isFlow)) return []
    const isInside = listPath.length >= path.length && path.every((part, place) => listPath[place] === part)
    const from = Number(path.at(-1))
    if (isInside || (target === source && (index === from || index === from + 1))) return []
    const lines = this.linesOf(item)
    const moved = this.reindent(
      lines,
      this.dashColumn(source),
      target === undefined ? undefined : this.dashColumn(target),
      listPath,
    )
    const removal = this.removeItem(parentPath, from)
    const addition = target === undefined ? this.addList(listPath, moved) : this.insertLines(target, index, moved)
    return [...removal, ...addition]
  }

  /** A list that is not there yet, with one item whose lines are ready. */
  private addList(path: Path, lines: string): TextChange[] {
    const parent = nodeAt(this.tree, path.slice(0, -1))
    const entry = entryAt(this.tree, path)
    if (entry !== undefined) return [{ from: entry.to, to: entry.to, insert: `\n${lines}` }]
    if (parent?.kind !== 'map' || parent.isFlow) return []
    const before = this.entryBefore(parent, path.slice(0, -1), String(path.at(-1)))
    const at = this.lineEnd(before?.to ?? parent.to)
    return [
      { from: at, to: at, insert: `\n${' '.repeat(this.columnOfParts(parent))}${String(path.at(-1))}:\n${lines}` },
    ]
  }

  private reindent(lines: string, from: number, to: number | undefined, listPath: Path): string {
    const parent = nodeAt(this.tree, listPath.slice(0, -1))
    const column = to ?? (parent === undefined ? 0 : this.columnOfParts(parent)) + 2
    return lines
      .split('\n')
      .map((line) =>
        line.trim() === '' ? '' : ' '.repeat(Math.max(0, line.search(/\S/) - from + column)) + line.trimStart(),
      )
      .join('\n')
  }

  private duplicate(path: Path, key: string | undefined): TextChange[] {
    const parentPath = path.slice(0, -1)
    const parent = nodeAt(this.tree, parentPath)
    const node = nodeAt(this.tree, path)
    if (node === undefined) return []
    if (parent?.kind === 'list' && !parent.isFlow) {
      const at = this.lineEnd(node.to)
      return [{ from: at, to: at, insert: `\n${this.linesOf(node)}` }]
    }
    const entry = entryAt(this.tree, path)
    if (entry === undefined || parent?.kind !== 'map' || parent.isFlow || key === undefined) return []
    const at = this.lineEnd(entry.to)
    const column = this.columnOfParts(parent)
    return [
      {
        from: at,
        to: at,
        insert: `\n${' '.repeat(column)}${writeScalar(key, false)}${this.text.slice(entry.keyTo, at)}`,
      },
    ]
  }

  // ---------- remove

  private remove(path: Path): TextChange[] {
    const last = path.at(-1)
    const parentPath = path.slice(0, -1)
    const parent = nodeAt(this.tree, parentPath)
    if (parent?.kind === 'list') return this.removeItem(parentPath, Number(last))
    const entry = entryAt(this.tree, path)
    if (entry === undefined || parent?.kind !== 'map') return []
    const place = parent.entries.indexOf(entry)
    if (parent.entries.length === 1) {
      if (parentPath.length > 0) return this.remove(parentPath)
      return [{ from: entry.from, to: this.lineEnd(entry.to), insert: '' }]
    }
    if (parent.isFlow) return [this.cutOfFlow(parent.entries, place)]
    const start = this.text.lastIndexOf('\n', entry.from - 1) + 1
    const isAlone = this.text.slice(start, entry.from).trim() === ''
    const next = parent.entries[place + 1]
    // The first key of an item stands beside its dash: the next key takes its place.
    if (!isAlone && next !== undefined) return [{ from: entry.from, to: next.from, insert: '' }]
    return [{ from: start, to: Math.min(this.text.length, this.lineEnd(entry.to) + 1), insert: '' }]
  }

  private removeItem(listPath: Path, index: number): TextChange[] {
    const list = nodeAt(this.tree, listPath)
    const item = list?.kind === 'list' ? list.items[index] : undefined
    if (list?.kind !== 'list' || item === undefined) return []
    if (list.items.length === 1)
      return listPath.length === 0 ? [{ from: list.from, to: list.to, insert: '' }] : this.remove(listPath)
    if (list.isFlow) return [this.cutOfFlow(list.items, index)]
    return [{ from: this.blockStart(item), to: Math.min(this.text.length, this.lineEnd(item.to) + 1), insert: '' }]
  }

  private cutOfFlow(parts: readonly { from: number; to: number }[], index: number): TextChange {
    const part = parts[index]
    const [before, after] = [parts[index - 1], parts[index + 1]]
    if (after !== undefined) return { from: part?.from ?? 0, to: after.from, insert: '' }
    return { from: before?.to ?? part?.from ?? 0, to: part?.to ?? 0, insert: '' }
  }

  // ---------- places

  /** What decides the style of a value: the key above it, or the kind of list it is in. */
  private kindOf(path: Path): string {
    const names = path.filter((part): part is string => typeof part === 'string')
    if (names.includes('json')) return 'json'
    if (path.length === 2 && path[0] === 'values') return 'value'
    if (path.length === 2 && path[0] === 'data') return 'data'
    const last = path.at(-1)
    return typeof last === 'number' ? (path.at(-2) === 'load' ? 'phase' : String(path.at(-2))) : (last ?? '')
  }

  private isInFlow(path: Path): boolean {
    return path.some((_, depth) => {
      const node = nodeAt(this.tree, path.slice(0, depth))
      return node !== undefined && node.kind !== 'scalar' && node.isFlow
    })
  }

  /** The column at which the keys of a map stand, or the dashes of a list. */
  private columnOfParts(node: TreeNode): number {
    if (node.kind === 'list') return node.isFlow ? this.column(node.from) : this.dashColumn(node)
    if (node.kind === 'map' && !node.isFlow) return this.column(node.entries[0]?.from ?? node.from)
    return this.column(node.from)
  }

  private column(offset: number): number {
    return offset - (this.text.lastIndexOf('\n', offset - 1) + 1)
  }

  private dashColumn(list: ListNode): number {
    const [first] = list.items
    return first === undefined ? this.column(list.from) : this.column(this.dashOf(first))
  }

  private dashOf(item: TreeNode): number {
    return this.text.lastIndexOf('-', item.from - 1)
  }

  /** Where the lines of an item begin, with the comments that stand right above it. */
  private blockStart(item: TreeNode): number {
    const dash = this.dashOf(item)
    let start = this.text.lastIndexOf('\n', dash - 1) + 1
    const margin = this.text.slice(start, dash)
    while (start > 0) {
      const above = this.text.lastIndexOf('\n', start - 2) + 1
      const line = this.text.slice(above, start - 1)
      if (!line.startsWith(`${margin}#`)) break
      start = above
    }
    return start
  }

  private linesOf(item: TreeNode): string {
    return this.text.slice(this.blockStart(item), this.lineEnd(item.to))
  }

  private lineEnd(offset: number): number {
    const at = this.text.indexOf('\n', offset)
    return at < 0 ? this.text.length : at
  }

  private newlineAtEnd(): string {
    return this.text === '' || this.text.endsWith('\n') ? '' : '\n'
  }
}
