// The nodes of a YAML text as plain data with their places: what the form shows and what edits go by.
import { isMap, isScalar, isSeq, LineCounter, parseDocument, type Node } from 'yaml'
import { writtenText } from '../plan/source.js'

interface Place {
  /** Offsets in the text; `to` is where its last character ends. */
  from: number
  to: number
  line: number
}
export type TreeNode = ScalarNode | MapNode | ListNode
export interface ScalarNode extends Place {
  kind: 'scalar'
  text: string
}
export interface MapNode extends Place {
  kind: 'map'
  isFlow: boolean
  entries: Entry[]
}
export interface ListNode extends Place {
  kind: 'list'
  isFlow: boolean
  items: TreeNode[]
}
/** A key with what stands under it; null where nothing does. */
export interface Entry extends Place {
  key: string
  keyTo: number
  value: TreeNode | null
}
/** Keys and numbers of items, from the top down. */
export type Path = readonly (string | number)[]

/** Reads a text as a tree, as far as YAML can read it; undefined when there is no map or list in it. */
export function treeOf(text: string): TreeNode | undefined {
  const lines = new LineCounter()
  const { contents } = parseDocument(text, { version: '1.2', prettyErrors: false, lineCounter: lines })
  const lineAt = (offset: number) => Math.max(1, lines.linePos(offset).line)
  const trimmed = (to: number) => text.slice(0, to).trimEnd().length

  function convert(node: Node): TreeNode | undefined {
    const from = node.range?.[0] ?? 0
    const line = lineAt(from)
    if (isScalar(node)) {
      // A plain scalar of nothing is no scalar at all.
      if (node.value === null && (node.source ?? '') === '') return undefined
      return { kind: 'scalar', text: writtenText(node), from, to: trimmed(node.range?.[1] ?? from), line }
    }
    if (isMap(node)) {
      const entries = node.items.flatMap(({ key, value }): Entry[] => {
        if (!isScalar(key)) return []
        const keyFrom = key.range?.[0] ?? 0
        const keyTo = key.range?.[1] ?? keyFrom
        const child = isMap(value) || isSeq(value) || isScalar(value) ? convert(value) : undefined
        const colon = text.indexOf(':', keyTo)
        return [
          {
            key: writtenText(key),
            from: keyFrom,
            keyTo,
            to: child?.to ?? (colon < 0 ? keyTo : colon + 1),
            line: lineAt(keyFrom),
            value: child ?? null,
          },
        ]
      })
      const isFlow = node.flow === true
      return {
        kind: 'map',
        isFlow,
        entries,
        from,
        line,
        to: isFlow ? (node.range?.[1] ?? from) : (entries.at(-1)?.to ?? from),
      }
    }
    if (isSeq(node)) {
      const items = node.items.flatMap((item) =>
        isMap(item) || isSeq(item) || isScalar(item) ? (convert(item) ?? []) : [],
      )
      const isFlow = node.flow === true
      return {
        kind: 'list',
        isFlow,
        items,
        from,
        line,
        to: isFlow ? (node.range?.[1] ?? from) : (items.at(-1)?.to ?? from),
      }
    }
    return undefined
  }
  return contents === null ? undefined : convert(contents)
}

/**
 * The node at a path; undefined where there is none.
 *
 * @param path - keys of maps and places in lists, from the root
 */
export function nodeAt(tree: TreeNode | undefined, path: Path): TreeNode | undefined {
  let node: TreeNode | null | undefined = tree
  for (const part of path) {
    if (node === undefined || node === null) return undefined
    if (node.kind === 'map') node = node.entries.find((entry) => entry.key === String(part))?.value
    else if (node.kind === 'list') node = node.items[Number(part)]
    else return undefined
  }
  return node ?? undefined
}

/**
 * The entry that a path ends in.
 *
 * @param path - ends in a key of a map
 */
export function entryAt(tree: TreeNode | undefined, path: Path): Entry | undefined {
  const parent = nodeAt(tree, path.slice(0, -1))
  return parent?.kind === 'map' ? parent.entries.find((entry) => entry.key === String(path.at(-1))) : undefined
}

/**
 * The text of a scalar at a path.
 *
 * @returns undefined for what is no scalar
 */
export function textAt(tree: TreeNode | undefined, path: Path): string | undefined {
  const node = nodeAt(tree, path)
  return node?.kind === 'scalar' ? node.text : undefined
}

/**
 * The innermost path whose node begins on or before a line and ends on or after it.
 *
 * @param line - from 1
 */
export function pathOfLine(tree: TreeNode | undefined, line: number): Path {
  const path: (string | number)[] = []
  for (let node = tree; node !== undefined;) {
    const children: { part: string | number; line: number; value: TreeNode | null }[] =
      node.kind === 'map'
        ? node.entries.map(({ key, line, value }) => ({ part: key, line, value }))
        : node.kind === 'list'
          ? node.items.map((value, part) => ({ part, line: value.line, value }))
          : []
    const last = children.filter((child) => child.line <= line).at(-1)
    if (last === undefined) break
    path.push(last.part)
    node = last.value ?? undefined
  }
  return path
}
