// What is to be said of a generator, and of those who came and went.
import { lanesText, MOST_IN_LANE, type BuiltInLane, type LaneSpec } from '@jolt-gate/core'
import type { FleetAnswer, GeneratorLine } from '@jolt-gate/core/api'
import { lengthOf, percent } from '../text/figures.js'

/** What is wrong with it, the worst first; undefined where nothing is. */
export interface Warning {
  fault: string
  meaning: string
}

const OFTEN_STOLEN = 0.1
/** A sender that is busier for five seconds is one that may be late. */
export const MOST_BUSY = 0.9
const BUSY_SECONDS = 5
const CLOCK_NOTED_MS = 50

export function warningOf(generator: GeneratorLine, version: string): Warning | undefined {
  const { state, silentMs, now, busy, clockErrorMs } = generator
  if (state === 'lost')
    return {
      fault: `Nothing was heard of it for ${lengthOf(silentMs / 1000)}.`,
      meaning: 'A run that it made a part of is void. A generator that is started again is here within a second.',
    }
  if (state === 'silent')
    return { fault: `Silent for ${lengthOf(silentMs / 1000)}.`, meaning: 'After 10 s it is lost, and its run void.' }
  if (generator.version !== version)
    return {
      fault: `Its version is ${generator.version}, and this server's is ${version}.`,
      meaning: 'No run takes it: install the same version there.',
    }
  const lately = busy.slice(-BUSY_SECONDS)
  if (lately.length === BUSY_SECONDS && lately.every((share) => share !== null && share > MOST_BUSY))
    return {
      fault: `A sender is ${percent(Math.min(1, busy.at(-1) ?? 0))} busy.`,
      meaning: 'It may send late: gates that this could decide are undecided. Share its load among more generators.',
    }
  if (now !== null && now.steal > OFTEN_STOLEN)
    return {
      fault: `Its host takes ${percent(now.steal)} of the processor away.`,
      meaning: 'Gates that its lateness could decide are undecided.',
    }
  if (clockErrorMs !== null && clockErrorMs > CLOCK_NOTED_MS)
    return {
      fault: `Its clock is known to ${String(Math.round(clockErrorMs))} ms.`,
      meaning: 'Over 500 ms a run is void.',
    }
  return undefined
}

type News = FleetAnswer['news'][number]

export const newsWords = ({ what, silentMs }: News): string =>
  what === 'came back' && silentMs !== undefined ? `came back after ${lengthOf(silentMs / 1000)}` : what

export interface PlaceLine {
  place: string
  generators: number
  /** Requests a second; null where one of them was never measured. */
  mostPerSecond: number | null
}

/** Those that are here, by place. */
export function placesOf(generators: readonly GeneratorLine[]): PlaceLine[] {
  const places = new Map<string, PlaceLine>()
  for (const { place, state, mostPerSecond } of generators) {
    if (state !== 'here') continue
    const line = places.get(place) ?? { place, generators: 0, mostPerSecond: 0 }
    const isKnown = mostPerSecond !== null && line.mostPerSecond !== null
    places.set(place, {
      place,
      generators: line.generators + 1,
      mostPerSecond: isKnown ? mostPerSecond + (line.mostPerSecond ?? 0) : null,
    })
  }
  return [...places.values()].toSorted((one, other) => one.place.localeCompare(other.place))
}

/** The greatest clock error of those that are here; null where none is known. */
export function worstClockMs(generators: readonly GeneratorLine[]): number | null {
  const known = generators.flatMap(({ clockErrorMs }) => (clockErrorMs === null ? [] : [clockErrorMs]))
  return known.length === 0 ? null : Math.max(...known)
}

/** The lanes of a run that tell its places apart, as they stand in its address. */
export function lanesByPlace(places: readonly string[]): string {
  const shown = [...new Set(places)].toSorted().slice(0, MOST_IN_LANE)
  const own = (figure: 'p95' | 'requests'): LaneSpec => ({
    ...{ kind: 'own', isTall: false },
    series: shown.map((name) => ({ of: 'place', name, figure })),
  })
  const builtIn = (name: BuiltInLane): LaneSpec => ({ kind: 'built in', name, isTall: false })
  return lanesText([builtIn('load'), own('requests'), builtIn('time'), own('p95'), builtIn('generator')])
}
