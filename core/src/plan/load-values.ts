// Load figures by environment: `{name}` in a load stands for a value of the target, or of `--set`.
import { visit, type Node, type Scalar } from 'yaml'
import { offsetInScalar, writtenText, type Source } from './source.js'

/** The value of a name; undefined where there is none. */
export type LoadValues = (name: string) => string | undefined

const NAME = /\{([^{}]*)\}/g

/** Puts values where a load names them, and reports names that are none. */
export function fillLoad(source: Source, load: Node | null, valueOf: LoadValues): void {
  if (load === null) return
  visit(load, {
    Scalar: (key, scalar) => {
      if (key !== 'key') fill(source, scalar, valueOf)
    },
  })
}

function fill(source: Source, scalar: Scalar, valueOf: LoadValues): void {
  const text = writtenText(scalar)
  if (!text.includes('{')) return
  const filled = text.replaceAll(NAME, (_, name: string, offset: number) => {
    const value = valueOf(name)
    if (value !== undefined) return value
    source.report(
      offsetInScalar(scalar, offset),
      'NO_VALUE',
      `no value "${name}": a load may name the values of its target, and of --set`,
    )
    return '1'
  })
  scalar.value = filled
  scalar.source = filled
}
