// Keeps, compiled once to functions of a response.
import type { Json } from '../language/sentences.js'
import type { Keep } from '../plan/model.js'
import type { Frame } from '../values/compile.js'
import { compileFinder, itemsOf, operandOf, type AssessContext } from './check.js'
import type { Received } from './received.js'

/** The kept value, or undefined when nothing was found and no `or VALUE` stands in. `draw` serves `at random`. */
export type Take = (received: Received, frame: Frame, draw: () => number) => Json | undefined

export function compileKeep(keep: Keep, context: AssessContext): Take {
  const find = compileFinder(keep.source, context)
  const instead = keep.or === undefined ? undefined : operandOf(keep.or, context.lookup)
  const { which } = keep
  return (received, frame, draw) => {
    const nodes = find(received, frame)
    const taken = takeOf(nodes, which, draw)
    return taken === undefined ? instead?.(frame) : taken
  }
}

function takeOf(nodes: Json[], which: Keep['which'], draw: () => number): Json | undefined {
  switch (which.kind) {
    case 'first':
      return itemsOf(nodes)[0]
    case 'last':
      return itemsOf(nodes).at(-1)
    case 'all':
      return nodes.length === 0 ? undefined : itemsOf(nodes)
    case 'number':
      return itemsOf(nodes)[which.n - 1]
    case 'at random': {
      const items = itemsOf(nodes)
      return items[Math.floor(draw() * items.length)]
    }
    default:
      return which satisfies never
  }
}
