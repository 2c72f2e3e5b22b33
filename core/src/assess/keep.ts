// Keeps, compiled once to functions of a response.
import type { Json } from '../language/sentences.js'
import type { Keep } from '../plan/model.js'
import type { Frame } from '../values/compile.js'
import { compileFinder, itemsOf, operandOf, type AssessContext, type Finder } from './check.js'
import { UnreadableBody, type Received } from './received.js'

/** The kept value, or undefined when nothing was found and no `or VALUE` stands in. `draw` serves `at random`. */
export type Take = (received: Received, frame: Frame, draw: () => number) => Json | undefined

/**
 * Compiles a keep. `null` and an empty text are nothing.
 *
 * @returns a function that throws UnreadableBody where the body is not what it reads, and no `or VALUE` stands in
 */
export function compileKeep(keep: Keep, context: AssessContext): Take {
  const find = compileFinder(keep.source, context)
  const { which } = keep
  if (keep.or === undefined) return (received, frame, draw) => takeOf(find(received, frame), which, draw)
  const instead = operandOf(keep.or, context.lookup)
  const findOrNothing = orNothing(find)
  return (received, frame, draw) => takeOf(findOrNothing(received, frame), which, draw) ?? instead(frame)
}

/** Where another value stands in, a body that cannot be read has nothing in it. */
function orNothing(find: Finder): Finder {
  return (received, frame) => {
    try {
      return find(received, frame)
    } catch (error) {
      if (error instanceof UnreadableBody) return []
      throw error
    }
  }
}

function takeOf(nodes: Json[], which: Keep['which'], draw: () => number): Json | undefined {
  const taken = chosenOf(nodes, which, draw)
  return taken === null || taken === '' ? undefined : taken
}

function chosenOf(nodes: Json[], which: Keep['which'], draw: () => number): Json | undefined {
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
