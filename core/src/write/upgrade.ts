// A file of the first edition in today's words: what `validate --fix` writes. Comments, order and blank lines stay.
import {
  RENAMED_KEYS,
  RENAMED_NAMES,
  RENAMED_STEPS,
  RENAMED_WORDS,
  renewGate,
  renewPattern,
  renewStop,
} from '../plan/first-edition.js'
import type { ContextName, Shape } from '../plan/vocabulary.js'
import { contextFor, rootShapeOf, shapeFor, shapeInside } from './context-of.js'
import type { TextChange } from './edit.js'
import { treeOf, type Entry, type MapNode, type TreeNode } from './tree.js'
import { writeFlow, writeScalar } from './yaml-text.js'

/**
 * Works out what of a file is written in words of the first edition.
 *
 * @param file - its path, whose ending tells plans, targets and shared steps apart
 * @returns changes that do not overlap; none for a file of the second edition, or one that YAML cannot read
 */
export function upgradeText(file: string, text: string): TextChange[] {
  const tree = treeOf(text)
  if (tree === undefined) return []
  const upgrade = new Upgrade(text)
  upgrade.visit(tree, rootShapeOf(file), false, '')
  return upgrade.changes
}

class Upgrade {
  readonly changes: TextChange[] = []

  constructor(private readonly text: string) {}

  visit(node: TreeNode, shape: Shape, inFlow: boolean, key: string): void {
    const chosen = shapeFor(shape, node.kind)
    if (node.kind === 'scalar') {
      this.visitScalar(node, chosen, inFlow, key)
      return
    }
    const inside = inFlow || node.isFlow
    if (node.kind === 'list') {
      for (const [index, item] of node.items.entries()) {
        const inner = shapeInside(chosen, index, [])
        if (inner !== undefined) this.visit(item, inner, inside, key)
      }
      return
    }
    // A step of the first edition is known by the successor of its key.
    const keys = node.entries.map((entry) => RENAMED_STEPS[entry.key] ?? entry.key)
    const context = contextFor(chosen, keys)
    for (const entry of node.entries) this.visitEntry(node, entry, { shape: chosen, context, keys, inFlow: inside })
  }

  private visitEntry(
    map: MapNode,
    entry: Entry,
    {
      shape,
      context,
      keys,
      inFlow,
    }: { shape: Shape; context: ContextName | undefined; keys: string[]; inFlow: boolean },
  ): void {
    if (context === 'value' && (entry.key === 'weights' || (entry.key === 'pick' && this.movesWeights(map, entry))))
      return
    if (context === 'target' && entry.key === 'network' && this.movesAddress(entry, inFlow)) return
    const renamed = context === undefined ? undefined : (RENAMED_KEYS[context]?.[entry.key] ?? RENAMED_STEPS[entry.key])
    const isStep = shape.kind === 'step'
    const successor = isStep ? (RENAMED_STEPS[entry.key] ?? renamed) : renamed
    if (successor !== undefined) this.replace({ from: entry.from, to: entry.keyTo }, writeScalar(successor, inFlow))
    const inner = shapeInside(shape, successor ?? entry.key, keys)
    if (inner !== undefined && entry.value !== null) this.visit(entry.value, inner, inFlow, successor ?? entry.key)
  }

  private visitScalar(node: TreeNode & { kind: 'scalar' }, shape: Shape, inFlow: boolean, key: string): void {
    const renewed = this.renewed(node.text, shape, key)
    if (renewed === undefined || renewed === node.text) return
    const isBlock = /^[|>]/.test(this.text.slice(node.from))
    if (isBlock) this.replace(node, inNames(this.text.slice(node.from, node.to)))
    else this.replace(node, writeScalar(renewed, inFlow, key === 'json'))
  }

  private renewed(text: string, shape: Shape, key: string): string | undefined {
    if (shape.kind === 'sentence' && shape.rule === 'Gate') return renewGate(text)
    if (shape.kind === 'sentence' && shape.rule === 'StopOnly') return renewStop(text)
    if (shape.kind === 'words') return RENAMED_WORDS[key]?.[text]
    if (key === 'pattern') return renewPattern(text)
    return inNames(text)
  }

  /** `pick: [a, b]` with `weights: [2, 1]` beside it becomes `pick: { a: 2, b: 1 }`. */
  private movesWeights(map: MapNode, pick: Entry): boolean {
    const weights = map.entries.find((entry) => entry.key === 'weights')
    if (weights?.value?.kind !== 'list' || pick.value?.kind !== 'list') return false
    const numbers = weights.value.items.map((item) => (item.kind === 'scalar' ? Number(item.text) : NaN))
    const options = pick.value.items.map((item) => (item.kind === 'scalar' ? item.text : ''))
    if (numbers.length !== options.length || numbers.some(Number.isNaN)) return false
    const weighted = Object.fromEntries(options.map((option, index) => [option, numbers[index] ?? 1]))
    this.replace(pick.value, writeFlow(weighted, false))
    this.removeBeside(weights)
    return true
  }

  private movesAddress(entry: Entry, inFlow: boolean): boolean {
    const from = entry.value?.kind === 'map' ? entry.value.entries.find(({ key }) => key === 'from') : undefined
    if (entry.value === null || from?.value?.kind !== 'scalar') return false
    this.replace({ from: entry.from, to: entry.to }, `local address: ${writeScalar(from.value.text, inFlow)}`)
    return true
  }

  /** Removes an entry with the comma or the line that it stands on. */
  private removeBeside({ from, to }: Entry): void {
    const before = /,\s*$/.exec(this.text.slice(0, from))?.[0].length
    if (before !== undefined) {
      this.replace({ from: from - before, to }, '')
      return
    }
    const after = /^\s*,\s*/.exec(this.text.slice(to))?.[0].length
    if (after !== undefined) {
      this.replace({ from, to: to + after }, '')
      return
    }
    const lineStart = this.text.lastIndexOf('\n', from - 1)
    this.replace({ from: Math.max(0, lineStart), to }, '')
  }

  private replace(at: { from: number; to: number }, insert: string): void {
    this.changes.push({ from: at.from, to: at.to, insert })
  }
}

/** A text with the names of values in braces renewed. */
function inNames(text: string): string {
  return Object.entries(RENAMED_NAMES).reduce(
    (so, [before, after]) =>
      so.replaceAll(
        new RegExp(String.raw`(\{[^{}]*?(?<![\w.]))${before.replace('.', String.raw`\.`)}(?![\w.])`, 'g'),
        `$1${after}`,
      ),
    text,
  )
}
