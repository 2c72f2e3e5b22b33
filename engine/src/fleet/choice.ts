// Which generators of a fleet make a run, and which part of it each.
import type { Deal, PlanPlace } from '@jolt-gate/core'
import type { Present } from './roster.js'

/** What of a fleet a run asks for. */
export interface Wanted {
  /** Shares of the load by place; undefined where all places are one. */
  places: readonly PlanPlace[] | undefined
  /** How many generators; all that are free where nothing is said. */
  generators: number | undefined
  /** More threads would have no part of a cap. */
  mostThreads: number
  version: string
}

/** A generator with its part of a run. */
export interface Chosen extends Present {
  /** The number of its first thread among all that share the load. */
  first: number
  count: number
}

export interface Choice {
  deal: Deal
  generators: Chosen[]
}

/** Those that are free, at one of the places of a run. */
interface Candidates {
  weight: number
  free: Present[]
  taken: Present[]
}

/** Who makes a run, and which part of it; or why nobody does, in words. */
export function choose(
  present: readonly Present[],
  { places, generators, mostThreads, version }: Wanted,
): Choice | string {
  const others = present.filter((one) => one.version !== version).length
  const free = present.filter((one) => one.run === null && one.version === version)
  const but = others === 0 ? '' : `; ${String(others)} of another version`
  const candidates = (places ?? [{ name: undefined, weight: 1 }]).map(({ name, weight }): Candidates => {
    const [first, ...rest] = free.filter(({ place }) => name === undefined || place === name)
    return { weight, free: rest, taken: first === undefined ? [] : [first] }
  })
  const empty = candidates.findIndex(({ taken }) => taken.length === 0)
  if (empty >= 0) {
    const place = places?.[empty]?.name
    return `no generator is free${place === undefined ? '' : ` in ${place}`}${but}`
  }
  const all = candidates.reduce((sum, one) => sum + 1 + one.free.length, 0)
  const most = generators ?? all
  if (most > all) return `${String(most)} generators are asked for, and ${String(all)} are free${but}`
  if (most < candidates.length)
    return `${String(candidates.length)} places need as many generators, and ${String(most)} may be taken`
  if (most > mostThreads)
    return `a cap of ${String(mostThreads)} users cannot be dealt to ${String(most)} generators: ask for fewer`
  for (let left = most - candidates.length; left > 0; left--) {
    const next = candidates.filter((one) => one.free.length > 0).toSorted((a, b) => loadOf(b) - loadOf(a))[0]
    next?.taken.push(...next.free.splice(0, 1))
  }
  return dealt(candidates, Math.floor(mostThreads / most))
}

/** How much each generator of a place has to do. */
const loadOf = ({ weight, taken }: Candidates): number => weight / taken.length

function dealt(candidates: readonly Candidates[], mostEach: number): Choice {
  let first = 0
  const generators: Chosen[] = []
  const deal = candidates.map(({ weight, taken }) => {
    let shares = 0
    for (const one of taken) {
      const count = Math.min(one.threads, mostEach)
      generators.push({ ...one, first, count })
      first += count
      shares += count
    }
    return { weight, shares }
  })
  return { deal, generators }
}
