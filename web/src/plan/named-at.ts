// What on a line of a plan has a name that is used elsewhere.
import { nodeAt, pathOfLine, textAt, type Renamed, type TreeNode } from '@jolt-gate/core'

export interface Named {
  kind: Renamed
  name: string
}

/** The step, group, journey, phase or value that a line names; undefined where it names none. */
export function namedAt(tree: TreeNode | undefined, line: number): Named | undefined {
  const path = pathOfLine(tree, line)
  const [last, above] = [path.at(-1), path.at(-2)]
  if (typeof last === 'string' && (above === 'keep' || (above === 'values' && path.length === 2)))
    return { kind: 'value', name: last }
  if (path[0] === 'journeys' && path.length === 2) return { kind: 'journey', name: String(last) }
  for (let length = path.length; length > 0; length--) {
    const part = path.slice(0, length)
    if (typeof part.at(-1) !== 'number' || nodeAt(tree, part)?.kind !== 'map') continue
    const phase = textAt(tree, [...part, 'phase'])
    if (phase !== undefined) return { kind: 'phase', name: phase }
    const group = textAt(tree, [...part, 'group'])
    if (group !== undefined) return { kind: 'group', name: group }
    const step = textAt(tree, [...part, 'name'])
    return step === undefined ? undefined : { kind: 'step', name: step }
  }
  return undefined
}
