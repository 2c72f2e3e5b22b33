// The load over time as lines to be drawn: each track, and all of them summed.
import type { PhasePreview } from './phase-previews.js'
import type { Preview } from './preview.js'

/** Points in order of time; two at one moment are a step. */
export type CurvePoints = [seconds: number, value: number][]

export interface LoadCurve {
  /** Arrivals a second over all tracks. */
  rate: CurvePoints
  /** Users who come again by themselves, over all tracks. */
  users: CurvePoints
  /** Expected users in flight of all that arrive; empty where the time of a journey is not known. */
  inFlight: CurvePoints
  /** Arrivals a second of each track, where there are several with arrivals. */
  tracks: { name: string | null; rate: CurvePoints }[]
}

/** The profile of a load; levels are linear within a phase, so its ends are enough. */
export function curveOf(preview: Pick<Preview, 'phases' | 'tracks' | 'seconds'>): LoadCurve {
  const { phases, tracks } = preview
  const moments = [...new Set([0, preview.seconds, ...phases.flatMap((phase) => [phase.fromSeconds, phase.toSeconds])])]
  moments.sort((a, b) => a - b)
  const lineOf = (own: readonly PhasePreview[], ends: 'rates' | 'users'): CurvePoints =>
    moments.flatMap((moment): CurvePoints => {
      const before = levelAt(own, moment, -1, ends)
      const after = levelAt(own, moment, 1, ends)
      const points: CurvePoints = [
        [moment, before],
        [moment, after],
      ]
      return before === after ? points.slice(1) : points
    })
  const arriving = tracks.filter((track) => track.peakRate > 0)
  return {
    rate: lineOf(phases, 'rates'),
    users: lineOf(phases, 'users'),
    inFlight: inFlightOf(phases, arriving, preview.seconds),
    tracks:
      arriving.length < 2
        ? []
        : arriving.map(({ name }) => ({
            name,
            rate: lineOf(
              phases.filter((phase) => phase.track === name),
              'rates',
            ),
          })),
  }
}

/** Sum of the levels just before or just after a moment. */
function levelAt(phases: readonly PhasePreview[], moment: number, side: -1 | 1, ends: 'rates' | 'users'): number {
  let level = 0
  for (const phase of phases) {
    const { fromSeconds, toSeconds } = phase
    const isIn = side < 0 ? moment > fromSeconds && moment <= toSeconds : moment >= fromSeconds && moment < toSeconds
    if (!isIn) continue
    const [from, to] = phase[ends]
    level += from + ((to - from) * (moment - fromSeconds)) / (toSeconds - fromSeconds)
  }
  return Math.round(level * 1e6) / 1e6
}

const POINTS = 200

/**
 * Users in flight over time, as if each journey took its mean time W: who arrived within the last W is still
 * there. Where the rate λ is constant this is Little's law, L = λ W.
 *
 * Source: J. D. C. Little, "A proof for the queuing formula L = λW", Operations Research 9 (1961).
 */
function inFlightOf(phases: readonly PhasePreview[], arriving: Preview['tracks'], seconds: number): CurvePoints {
  if (arriving.length === 0 || arriving.some(({ journeySeconds }) => journeySeconds === null)) return []
  return Array.from({ length: POINTS + 1 }, (_, point): [number, number] => {
    const at = (seconds * point) / POINTS
    const level = arriving.reduce((sum, { name, journeySeconds }) => {
      const own = phases.filter((phase) => phase.track === name)
      return sum + arrivalsUntil(own, at) - arrivalsUntil(own, at - (journeySeconds ?? 0))
    }, 0)
    return [at, Math.round(level * 1e6) / 1e6]
  })
}

/** Expected arrivals until a moment; rates are linear within a phase. */
function arrivalsUntil(phases: readonly PhasePreview[], at: number): number {
  return phases.reduce((sum, { fromSeconds, toSeconds, rates: [from, to] }) => {
    const length = toSeconds - fromSeconds
    const inside = Math.min(Math.max(at - fromSeconds, 0), length)
    return length === 0 ? sum : sum + from * inside + ((to - from) * inside * inside) / (2 * length)
  }, 0)
}
