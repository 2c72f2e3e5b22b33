// A pipeline as its file says it.
import type { BeginsSentence } from '../language/sentences.js'
import type { Position, Problem } from '../plan/model.js'

/** What a stage waits for: a push, its time, the question of a promotion; or a person, where nothing is said. */
export type Begins = BeginsSentence | { kind: 'by hand' }

/** A stage that must be open, and how recently. */
export interface Requirement {
  stage: string
  /** Null: whenever it was. */
  withinMs: number | null
}

export interface PlanOfStage {
  file: string
  name: string
  /** What it is run against: the target of the stage, else its own. */
  target: string
}

export interface Stage {
  name: string
  /** The stage before it, which must be open at the same change. */
  after: string | null
  begins: Begins
  /** Null: each plan's own. */
  target: string | null
  plans: PlanOfStage[]
  /** The branch whose last open run gates are held to; null for that of the run. */
  baselineBranch: string | null
  requires: Requirement[]
  /** Whether runs count that commands report, too; else the server's own alone. */
  madeBy: 'anybody' | 'server'
  /** Whether an administrator may open it in writing; `isByAnother`: one who has no hand in the change. */
  hasApproval: boolean
  isByAnother: boolean
  at: Position
}

export interface Pipeline {
  name: string
  file: string
  stages: Stage[]
}

/** What a stage begins with, in the words of the file; empty where a person begins it. */
export function beginsWords(begins: Begins): string {
  switch (begins.kind) {
    case 'push':
      return `push to ${begins.branch ?? 'any branch'}`
    case 'schedule':
      return `schedule "${begins.cron}" zone ${begins.zone}`
    case 'admission':
      return 'admission'
    case 'by hand':
      return ''
    default:
      return begins satisfies never
  }
}

export interface PipelineReading {
  pipeline: Pipeline
  problems: Problem[]
  hasErrors: boolean
}
