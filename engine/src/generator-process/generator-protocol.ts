// What is said between a coordinator and the process that makes a run for it.
import type {
  Baseline,
  Bucket,
  Calibration,
  Judgement,
  Plan,
  RunTurn,
  RunResult,
  RunShape,
  Target,
} from '@jolt-gate/core'
import type { BrokenRun, LoadEnd, RunOptions, RunState, SetUp } from '../coordinate/run-options.js'

/** A run to make. */
export interface RunOrder {
  plan: Plan
  target: Target
  identity: RunOptions['identity']
  calibration: Calibration | null
  /** The run that gates against a baseline are held to; journals of old have none. */
  baseline?: Baseline | undefined
  /** In how many of the last ten runs each rule was borderline. */
  pastBorderline?: Record<string, number>
}

/** What goes with an order and is written down nowhere. */
export interface OrderValues {
  secrets: Record<string, string>
  /** Bytes of the files that requests carry, by path. */
  files: ReadonlyMap<string, Uint8Array>
}

/** By whom the load of a run is made, where that is not the process itself. */
export interface FleetAsked {
  /** nats://HOST:PORT */
  address: string
  /** The file with the coordinator's key. */
  keyFile: string
}

/** What a generator begins with. */
export type GeneratorOrder =
  /** Makes a run. */
  | ({ kind: 'run'; journal: string; order: RunOrder; fleet?: FleetAsked | undefined } & OrderValues)
  /** Ends a run whose generator is gone, by what its journal says. */
  | ({ kind: 'close'; journal: string; order: RunOrder; fleet?: FleetAsked | undefined } & OrderValues &
      Pick<BrokenRun, 'reason' | 'setup' | 'tearsDown'>)

export type ToGenerator =
  | GeneratorOrder
  | { kind: 'stop'; by: string }
  /** All that it told has come: it may end. */
  | { kind: 'heard' }

/** What is told as it happens, and stands in the journal. */
export type GeneratorEvent =
  | { kind: 'state'; state: RunState }
  /** A full second, as its encoded bytes. */
  | { kind: 'bucket'; second: Bucket['second']; bytes: Uint8Array }
  | { kind: 'event'; event: RunTurn }
  | { kind: 'load ended'; end: LoadEnd }
  /** Before teardown, and again after it. */
  | { kind: 'result'; result: RunResult; shape: RunShape }
  /** Nothing more comes. Journals of old do not say how it was judged. */
  | { kind: 'done'; judgement?: Judgement }

export type FromGenerator =
  | GeneratorEvent
  /** It may hold secrets: it is told, but stands in no journal. */
  | { kind: 'setup'; setup: SetUp }
  /** The journal cannot be written; the run goes on. */
  | { kind: 'no journal'; reason: string }
