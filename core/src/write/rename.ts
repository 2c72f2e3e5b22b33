// A new name for something, everywhere it is used.
import { treeOf, type TreeNode } from './tree.js'
import type { TextChange } from './edit.js'
import { writeScalar } from './yaml-text.js'

export type Renamed = 'step' | 'group' | 'journey' | 'phase' | 'value'

/**
 * Renames a step, group, journey, phase or value with all its uses in one file.
 *
 * Steps and groups are named in gates, journeys in gates, phases in gates, values in braces.
 */
export function renameInText(text: string, kind: Renamed, before: string, after: string): TextChange[] {
  const tree = treeOf(text)
  if (tree === undefined || before === after) return []
  const changes: TextChange[] = []
  const replace = (node: { from: number; to: number }, written: string) =>
    changes.push({ from: node.from, to: node.to, insert: written })

  const visit = (node: TreeNode | null, keys: readonly string[], inFlow: boolean): void => {
    if (node === null) return
    if (node.kind === 'scalar') {
      const next = renamed(node.text, keys, { kind, before, after })
      if (next === node.text) return
      const isBlock = /^[|>]/.test(text.slice(node.from))
      if (isBlock) replace(node, text.slice(node.from, node.to).replaceAll(`{${before}}`, `{${after}}`))
      else replace(node, writeScalar(next, inFlow, keys.includes('json')))
      return
    }
    if (node.kind === 'list') {
      for (const item of node.items) visit(item, [...keys, '-'], inFlow || node.isFlow)
      return
    }
    for (const entry of node.entries) {
      if (isKeyOf(kind, keys) && entry.key === before)
        replace({ from: entry.from, to: entry.keyTo }, writeScalar(after, inFlow || node.isFlow))
      visit(entry.value, [...keys, entry.key], inFlow || node.isFlow)
    }
  }
  visit(tree, [], false)
  return changes
}

/** Whether the keys of a map are names of that kind. */
function isKeyOf(kind: Renamed, keys: readonly string[]): boolean {
  if (kind === 'journey') return keys.length === 1 && keys[0] === 'journeys'
  return kind === 'value' && (keys.at(-1) === 'keep' || (keys.length === 1 && keys[0] === 'values'))
}

function renamed(
  text: string,
  keys: readonly string[],
  { kind, before, after }: { kind: Renamed; before: string; after: string },
): string {
  const key = keys.at(-1)
  const isGate = keys[0] === 'gates'
  const isOfGroup = /\bgroup time\b/.test(text)
  switch (kind) {
    case 'step':
      if (isGate && !isOfGroup) return inGate(text, 'of', before, after)
      return key === 'name' && keys.length > 1 && text === before ? after : text
    case 'group':
      if (isGate && isOfGroup) return inGate(text, 'of', before, after)
      return key === 'group' && text === before ? after : text
    case 'journey':
      return isGate ? inGate(text, 'in journey', before, after) : text
    case 'phase':
      if (isGate) return inGate(text, 'during', before, after)
      return key === 'phase' && text === before ? after : text
    case 'value':
      return keys.includes('gates') ? text : inBraces(text, before, after)
    default:
      return kind satisfies never
  }
}

/** Names in braces and in the expressions of URL templates. */
function inBraces(text: string, before: string, after: string): string {
  return text.replaceAll(/\{([^{}]*)\}/g, (whole, inner: string) => {
    const parts = inner.split(/(?<=^[?&#+./;]?)(?=\w)|,/)
    if (!parts.some((part) => part === before)) return whole
    const next = inner.replaceAll(
      new RegExp(`(?<![\\w.])${before.replaceAll(/\W/g, String.raw`\$&`)}(?![\\w.])`, 'g'),
      after,
    )
    return `{${next}}`
  })
}

/** The words of a gate: those between one keyword and the next are names. */
function inGate(text: string, word: string, before: string, after: string): string {
  let under = ''
  return text.replaceAll(
    /"(?:[^"\\]|\\.)*"|\b(?:in journey|from place|on network)\b|\b(?:of|during|under|over|at most|at least)\b|[\w-]+/g,
    (token) => {
      if (
        ['of', 'in journey', 'from place', 'on network', 'during', 'under', 'over', 'at most', 'at least'].includes(
          token,
        )
      )
        under = token
      if (under !== word || under === token) return token
      const isQuoted = token.startsWith('"')
      if (isQuoted ? token !== JSON.stringify(before) : token !== before) return token
      return isQuoted || !/^[\w-]+$/.test(after) ? JSON.stringify(after) : after
    },
  )
}
