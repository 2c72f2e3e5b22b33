// Whether values fall into one heap or into several: Hartigan's dip.

/** A corner of a hull: a place in the sorted values, and how many values it says lie below. */
interface Corner {
  index: number
  height: number
}

/**
 * The dip of some values: the largest distance between how they lie and the nearest law with one mode.
 *
 * The modal interval is narrowed in turns. In each, the greatest convex minorant and the least concave majorant of the
 * values' distribution are laid over it; where they are farthest apart is the next interval, and how far the values are
 * from the two hulls outside of it is a lower bound of the dip.
 *
 * Sources: J. A. Hartigan and P. M. Hartigan, "The dip test of unimodality", 1985; P. M. Hartigan, "Algorithm AS 217",
 * 1985, with M. Maechler's correction of it.
 *
 * @param values - in any order, at least one
 * @returns from 1/2n to 1/4
 */
export function dipOf(values: readonly number[]): number {
  const x = values.toSorted((a, b) => a - b)
  const n = x.length
  let [low, high, dip] = [0, n - 1, 1]
  while ((x[high] ?? 0) > (x[low] ?? 0)) {
    const below = hullOf(x, low, high, 'convex')
    const above = hullOf(x, low, high, 'concave')
    const apart = farthest(x, below, above)
    if (apart.distance < dip) break
    const outside = Math.max(
      bulge(
        x,
        below.filter(({ index }) => index <= apart.from),
        'convex',
      ),
      bulge(
        x,
        above.filter(({ index }) => index >= apart.to),
        'concave',
      ),
    )
    dip = Math.max(dip, outside)
    if (apart.from === low && apart.to === high) break
    ;[low, high] = [apart.from, apart.to]
  }
  return dip / (2 * n)
}

/** The corners of a hull from one value to another; heights count the values before, for the upper hull and itself. */
function hullOf(x: readonly number[], low: number, high: number, kind: 'convex' | 'concave'): Corner[] {
  const side = kind === 'convex' ? 1 : -1
  const corners: Corner[] = []
  for (let index = low; index <= high; index++) {
    const next = { index, height: index }
    for (;;) {
      const [before, last] = [corners.at(-2), corners.at(-1)]
      if (before === undefined || last === undefined) break
      const rise = (last.height - before.height) * ((x[next.index] ?? 0) - (x[last.index] ?? 0))
      const nextRise = (next.height - last.height) * ((x[last.index] ?? 0) - (x[before.index] ?? 0))
      if (side * (nextRise - rise) > 0) break
      corners.pop()
    }
    corners.push(next)
  }
  return corners
}

/** The height of a hull over a value. */
function heightAt(x: readonly number[], corners: readonly Corner[], index: number): number {
  const after = corners.findIndex((corner) => corner.index >= index)
  const right = corners[after]
  const left = corners[after - 1]
  if (right === undefined) return corners.at(-1)?.height ?? 0
  if (left === undefined || right.index === index) return right.height
  const width = (x[right.index] ?? 0) - (x[left.index] ?? 0)
  if (width === 0) return right.height
  return left.height + ((right.height - left.height) * ((x[index] ?? 0) - (x[left.index] ?? 0))) / width
}

/** Where the upper hull is farthest above the lower one, at a corner of either, and the corners that enclose it. */
function farthest(x: readonly number[], below: readonly Corner[], above: readonly Corner[]) {
  let best = { distance: 0, from: below[0]?.index ?? 0, to: above.at(-1)?.index ?? 0 }
  for (const corner of below) {
    const distance = heightAt(x, above, corner.index) + 1 - corner.height
    const to = above.find(({ index }) => index >= corner.index)?.index ?? corner.index
    if (distance > best.distance) best = { distance, from: corner.index, to }
  }
  for (const corner of above) {
    const distance = corner.height + 1 - heightAt(x, below, corner.index)
    const from = below.findLast(({ index }) => index <= corner.index)?.index ?? corner.index
    if (distance > best.distance) best = { distance, from, to: corner.index }
  }
  return best
}

/** How far the values bulge out of a hull, between its corners. */
function bulge(x: readonly number[], corners: readonly Corner[], kind: 'convex' | 'concave'): number {
  let most = 0
  for (const [number, right] of corners.entries()) {
    const left = corners[number - 1]
    if (left === undefined) continue
    const width = (x[right.index] ?? 0) - (x[left.index] ?? 0)
    if (width === 0) continue
    most = Math.max(most, 1)
    for (let index = left.index; index <= right.index; index++) {
      const line = left.height + ((right.height - left.height) * ((x[index] ?? 0) - (x[left.index] ?? 0))) / width
      most = Math.max(most, kind === 'convex' ? index + 1 - line : line - index + 1)
    }
  }
  return most
}
