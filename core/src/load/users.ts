// The closed model: how many users a track wants at a moment, and when each of them begins.
import type { Phase } from '../plan/model.js'
import type { Track } from './arrivals.js'

interface Span {
  phase: Extract<Phase, { kind: 'users' | 'iterations' }>
  index: number
  fromMs: number
  toMs: number
}

/**
 * The users of one track, each with a number from 0. User u is wanted while the level is at least u + ½, so that a rise
 * from 0 to 200 lets one in at each half, as even arrivals come; on a fall those with the highest numbers leave.
 */
export class UserSchedule {
  private readonly spans: Span[] = []
  /** Most users that the track wants at once. */
  readonly most: number

  constructor(track: Track) {
    let fromMs = 0
    for (const { phase, index } of track.phases) {
      const toMs = fromMs + phase.seconds * 1000
      if (phase.kind === 'users' || phase.kind === 'iterations') this.spans.push({ phase, index, fromMs, toMs })
      fromMs = toMs
    }
    this.most = Math.max(0, ...this.spans.map(({ phase }) => mostUsers(phase)))
  }

  /** When a user that is idle begins next, at or after a moment, and in which phase; undefined when never again. */
  nextStart(user: number, fromMs: number): { atMs: number; phase: number } | undefined {
    for (const span of this.spans) {
      if (span.toMs <= fromMs) continue
      const atMs = startIn(span, user, Math.max(fromMs, span.fromMs))
      if (atMs < span.toMs) return { atMs, phase: span.index }
    }
    return undefined
  }

  /** Iterations that a user makes in a phase at most; Infinity where the phase is bounded by time alone. */
  iterationsIn(phase: number): number {
    const span = this.spans.find(({ index }) => index === phase)
    return span?.phase.kind === 'iterations' ? span.phase.iterations : Infinity
  }
}

function mostUsers(phase: Span['phase']): number {
  return phase.kind === 'iterations' ? phase.users : Math.max(phase.from, phase.to)
}

function startIn({ phase, fromMs, toMs }: Span, user: number, earliestMs: number): number {
  if (phase.kind === 'iterations') return user < phase.users ? earliestMs : Infinity
  const { from, to, spreadSeconds } = phase
  const wanted = user + 0.5
  if (from === to) {
    if (wanted > from) return Infinity
    return Math.max(earliestMs, fromMs + (1000 * spreadSeconds * user) / from)
  }
  const crossesMs = fromMs + ((wanted - from) / (to - from)) * (toMs - fromMs)
  // A rise wants the user from the crossing on, a fall until it.
  if (to > from) return wanted > to ? Infinity : Math.max(earliestMs, crossesMs)
  return earliestMs < crossesMs ? earliestMs : Infinity
}
