// What stands out in a run, with its evidence and what to try.
import type { EvidenceName } from './evidence-names.js'

export const FINDING_KINDS = [
  'saturation',
  'first to fill',
  'queueing',
  'failures',
  'only under concurrency',
  'cold start',
  'periodic spikes',
  'drift',
  'two groups of times',
  'where the time goes',
  'slow recovery',
  'one place',
  'one network',
  'loose gate',
  'tight gate',
  'generator',
] as const
export type FindingKind = (typeof FINDING_KINDS)[number]
export const SEVERITIES = ['problem', 'warning', 'info'] as const

/** The shape in result.json. */
export interface Finding {
  kind: FindingKind
  severity: (typeof SEVERITIES)[number]
  /** How sure: 0 to 1; 1 less the chance of seeing as much where there is nothing. */
  confidence: number
  phases: string[]
  steps: string[]
  /** From the start of the load. */
  fromMs: number
  toMs: number
  /** Figures, with their unit in the name. */
  evidence: Partial<Record<EvidenceName, number | string>>
  text: string
  tryNext: string[]
}

/** Chances below this are told; findings are many, and a false alarm is worse than a miss. */
export const SURE = 0.005

/** A kind of failure with its detail, said once where the detail says it: "connection refused", "status 500". */
export const causeWords = (kind: string, detail: string): string =>
  detail === '' ? kind : detail.includes(kind) ? detail : `${kind} ${detail}`

export { figure, momentWords, numberWords, shareWords, timeWords } from './figure-words.js'
