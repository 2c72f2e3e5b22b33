// What stands out in a run, with its evidence and what to try.

export const FINDING_KINDS = [
  'saturation',
  'first to fill',
  'queueing',
  'failures',
  'only under concurrency',
  'cold start',
  'periodic spikes',
  'drift',
  'two populations',
  'where the time goes',
  'slow recovery',
  'loose gate',
  'tight gate',
  'generator',
] as const
export type FindingKind = (typeof FINDING_KINDS)[number]
export const FINDING_LEVELS = ['problem', 'warning', 'note'] as const

/** The shape in result.json. */
export interface Finding {
  kind: FindingKind
  level: (typeof FINDING_LEVELS)[number]
  /** How sure: 0 to 1; 1 less the chance of seeing as much where there is nothing. */
  confidence: number
  phases: string[]
  steps: string[]
  /** From the start of the load. */
  fromMs: number
  toMs: number
  /** Figures, with their unit in the name. */
  evidence: Record<string, number | string>
  text: string
  tryNext: string[]
}

/** Chances below this are told; findings are many, and a false alarm is worse than a miss. */
export const SURE = 0.005

/** A figure to three places, as evidence and sentences have it. */
export const figure = (value: number): number => (Number.isFinite(value) ? Number(value.toPrecision(3)) : 0)
/** A time in words: "46.2 ms", "1.8 s". */
export const timeWords = (ms: number): string =>
  ms < 1000 ? `${String(figure(ms))} ms` : `${String(figure(ms / 1000))} s`
/** A moment of the load: "1:05". */
export const momentWords = (ms: number): string =>
  `${String(Math.floor(ms / 60_000))}:${String(Math.floor(ms / 1000) % 60).padStart(2, '0')}`
/** A share: "7.1 %". */
export const shareWords = (share: number): string => `${String(figure(100 * share))} %`
export const numberWords = (value: number): string => String(figure(value))
