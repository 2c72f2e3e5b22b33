// Which part of the format a place of a tree belongs to.
import { isPipelineFile } from '../plan/pipeline-words.js'
import { CONTEXTS, STEP_CONTEXTS, type ContextName, type Shape } from '../plan/vocabulary.js'
import { nodeAt, type Path, type TreeNode } from './tree.js'

/** What stands at the top of a file, by its name. */
export function rootShapeOf(file: string): Shape {
  if (file.endsWith('.target.yaml')) return { kind: 'map', of: 'target' }
  if (isPipelineFile(file)) return { kind: 'map', of: 'pipeline' }
  if (file.endsWith('.steps.yaml')) return { kind: 'list', of: { kind: 'step' } }
  return { kind: 'map', of: 'plan' }
}

/** The kind of step that a map with such keys is. */
export function stepContext(keys: readonly string[]): ContextName | undefined {
  // `with` and `text` may stand in many steps; the first key that names a kind decides, as the reader has it.
  return keys.flatMap((key) => STEP_CONTEXTS.find((kind) => kind === key) ?? [])[0]
}

/** One of several shapes, by what stands there. */
export function shapeFor(shape: Shape, node: TreeNode['kind'] | undefined): Shape {
  if (shape.kind !== 'one of') return shape
  const isMapShape = (one: Shape) => one.kind === 'map' || one.kind === 'entries' || one.kind === 'step'
  const found = shape.shapes.find((one) =>
    node === 'map' ? isMapShape(one) : node === 'list' ? one.kind === 'list' : !isMapShape(one) && one.kind !== 'list',
  )
  return found ?? shape.shapes[0] ?? shape
}

/** The map that a shape stands for, where it is one. */
export function contextFor(shape: Shape, keys: readonly string[]): ContextName | undefined {
  if (shape.kind === 'map') return shape.of
  return shape.kind === 'step' ? stepContext(keys) : undefined
}

/** The shape of one part inside another: under a key, or as an item. */
export function shapeInside(shape: Shape, part: string | number, keys: readonly string[]): Shape | undefined {
  if (shape.kind === 'list') return typeof part === 'number' ? shape.of : undefined
  if (shape.kind === 'entries') return shape.of
  const context = contextFor(shape, keys)
  return context === undefined ? undefined : CONTEXTS[context].keys[String(part)]?.shape
}

export interface Spot {
  shape: Shape
  node: TreeNode | undefined
  /** The map of the format that it is, where it is one. */
  context: ContextName | undefined
}

/**
 * What the format says of the place at a path; undefined where it knows no such place.
 *
 * @param tree - of the whole file
 * @param root - what kind of file it is
 */
export function spotAt(tree: TreeNode | undefined, root: Shape, path: Path): Spot | undefined {
  let shape: Shape | undefined = root
  for (const [index, part] of path.entries()) {
    const node = nodeAt(tree, path.slice(0, index))
    shape = shapeInside(shapeFor(shape, node?.kind), part, keysIn(node))
    if (shape === undefined) return undefined
  }
  const node = nodeAt(tree, path)
  const chosen = shapeFor(shape, node?.kind)
  return { shape: chosen, node, context: contextFor(chosen, keysIn(node)) }
}

function keysIn(node: TreeNode | undefined): string[] {
  return node?.kind === 'map' ? node.entries.map(({ key }) => key) : []
}
