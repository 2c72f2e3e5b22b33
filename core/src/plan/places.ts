// Where generators stand that make the load of a plan, each place with its share.
import type { Node } from 'yaml'
import { offsetOf, readEntries, readWhole } from './fields.js'
import type { PlanPlace } from './model.js'
import type { Source } from './source.js'

/** How a place is named; a generator is named alike. */
export const PLACE_NAME = /^[a-z0-9](?:[a-z0-9-]{0,30}[a-z0-9])?$/
export const PLACE_NAME_WORDS = 'small letters, digits and hyphens, at most 32'

/** Weights beyond this are no share that anybody means. */
const MOST_WEIGHT = 1000
const MOST_PLACES = 100

export function readPlaces(source: Source, node: Node | null): PlanPlace[] | undefined {
  if (node === null) return undefined
  const entries = [...readEntries(source, node, 'places')]
  const places = entries.flatMap(([name, field]) => {
    const weight = readWhole(source, field, `the share of "${name}"`, 1)
    if (!PLACE_NAME.test(name))
      source.report(offsetOf(field.key), 'NAME', `"${name}" is no name of a place: ${PLACE_NAME_WORDS}`)
    else if ((weight ?? 1) > MOST_WEIGHT)
      source.report(offsetOf(field.value), 'NUMBER', `a share of a place is at most ${String(MOST_WEIGHT)}`)
    return weight === undefined ? [] : [{ name, weight }]
  })
  if (places.length > MOST_PLACES)
    source.report(offsetOf(node), 'TOO_MANY', `a plan has at most ${String(MOST_PLACES)} places`)
  if (entries.length === 0)
    source.report(offsetOf(node), 'EMPTY', 'places: name one or more, such as { north: 3, south: 1 }')
  return places.length === 0 ? undefined : places
}
