// What a run is given, what it tells while it goes, and what it comes to.
import type {
  Baseline,
  Calibration,
  Ending,
  GeneratorFaults,
  Judgement,
  Plan,
  RenewalResult,
  RunEvent,
  RunIdentity,
  RunResult,
  RunView,
  Target,
} from '@jolt-gate/core'
import type { OnceOutcome } from '../walk/once.js'
import type { GeneratorsMaker } from './generators.js'

export type RunState = 'setup' | 'load' | 'teardown' | 'ended'

export interface RunOptions {
  plan: Plan
  target: Target
  identity: Pick<RunIdentity, 'id' | 'tool' | 'change' | 'labels'> & {
    plan: Omit<RunIdentity['plan'], 'load' | 'scale'>
  }
  secrets: Record<string, string>
  /** Values that stand in for those of the plan and the target. */
  overrides?: Record<string, string>
  /** Whether what leaves a doubt makes the run void, also where the plan does not say so. */
  strict?: boolean
  /** Whether somebody has looked already for what keeps the plan from coming to an answer. */
  isChecked?: boolean
  /** Multiplies the load; by default 1. */
  scale?: number
  /** The run that gates against the baseline are held to. */
  baseline?: Baseline | undefined
  /** In how many of the last ten runs each rule was borderline. */
  pastBorderline?: Readonly<Record<string, number>>
  /** What this machine was last found able to do. */
  calibration?: Calibration | null
  /** Gives the bytes of a file of the repository that a request carries. */
  fileBytes?: (path: string) => Uint8Array | undefined
  /** An arrival that is later than this measures the generator alone, and is not started; by default 1 s. */
  mostLateMs?: number
  /** Without it a run begins a second sooner, and its first seconds are less exact. By default it is done. */
  warmsUp?: boolean
  /** Sender threads; by default one less than there are cores. */
  senders?: number
  /** Makes its generators; by default they are threads of this process. */
  generators?: GeneratorsMaker
  onState?: (state: RunState) => void
  /**
   * What happens in the run, in order: each second once all senders have reported it, stops, and how long phases were.
   */
  onEvent?: (event: RunEvent) => void
  /** Rows of CSV, of the requests that ended in a second; given where every request is wanted. */
  onSamples?: (text: string, count: number) => void
  /** What setup has left for the load and for teardown; it may hold secrets. */
  onSetup?: (setup: SetUp) => void
  /** How the load ended, before anything is judged. */
  onLoadEnded?: (end: LoadEnd) => void
  /** The result, before teardown and again after it. */
  onResult?: (result: RunResult) => void
}

/** What setup has left. */
export type SetUp = Pick<OnceOutcome, 'frame' | 'results'>

/** How the load of a run ended: all that is known of it beside its events. */
export interface LoadEnd {
  ending: Ending
  faults: Required<GeneratorFaults>
  /** When a gate, a person or spent rows ended it, in ms from its start. */
  endedEarlyAtMs: number | undefined
  /** Steps of setup that were made anew. */
  renewals: RenewalResult[]
}

/** A run whose generator is gone: what is known of it. */
export interface BrokenRun {
  events: readonly RunEvent[]
  /** Undefined where its generator was gone before setup was done. */
  setup: SetUp | undefined
  /** Undefined where the load was going on. */
  loadEnd: LoadEnd | undefined
  /** What happened, in words. */
  reason: string
  /** Whether teardown is walked now; where what it needs is unknown, it is not. */
  tearsDown: boolean
}

export interface RunOutcome {
  result: RunResult
  judgement: Judgement
  /** The run as it was seen to its end. */
  view: RunView
}

export interface RunHandle {
  /** The run as it is seen so far. */
  readonly view: RunView
  /** Stops the load within a second; teardown is still done. */
  stop(by: string): void
  done: Promise<RunOutcome>
}
