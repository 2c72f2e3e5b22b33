// What a run comes to: doubts first, then gates, then the result with all that is told beside it.
import {
  distrust,
  explain,
  judge,
  NO_DOUBTS,
  reasonsOf,
  resultOf,
  runsOfBaseline,
  type Baseline,
  type Ending,
  type FleetGenerator,
  type Gate,
  type GeneratorFaults,
  type OnceResult,
  type RenewalResult,
  type RunIdentity,
  type RunView,
} from '@jolt-gate/core'
import type { RunOptions, RunOutcome } from './run-options.js'

/** All that a run is judged by. */
export interface Concluded {
  options: RunOptions
  view: RunView
  /** The plan's own gates, and the default ones. */
  gates: readonly Gate[]
  baseline: Baseline | undefined
  faults: Required<GeneratorFaults>
  renewals: readonly RenewalResult[]
  identity: Omit<RunIdentity, 'startedAt' | 'endedAt' | 'target'>
  startedAt: Date
  ending: Ending
  setup: OnceResult[]
  teardown: OnceResult[]
  /** Its generators, where they are elsewhere. */
  fleet: FleetGenerator[]
  isStrict: boolean
  /** Whether a gate, a person or spent rows ended the load. */
  endedEarly: boolean
}

/** Judges a run by what is known of it until now, and puts its result together. */
export function conclude(run: Concluded): Omit<RunOutcome, 'view'> {
  const { options, view, gates, baseline, faults, renewals, ending, setup, teardown } = run
  const { target, calibration = null } = options
  const hasLoad = view.seconds > 0
  const { recording, shape } = view
  const doubts =
    hasLoad || ending.kind === 'finished' ? distrust(recording, shape, gates, faults, run.endedEarly) : NO_DOUBTS
  const reasons = reasonsOf(doubts)
  const judgement = judge({
    ...{ ending, doubts, results: view.gates(), recording, shape },
    strict: run.isStrict,
    beside: {
      ...{ renewals, teardown, endedByData: faults.endedByData, clocks: faults.clockNotes },
      ofSearches: (options.plan.capacity ?? []).map(({ rule }) => rule),
    },
  })
  const identified = {
    ...run.identity,
    // A load that lost a part is another one: no baseline of the whole, nor compared with it without a word.
    ...(recording.losses.length === 0
      ? {}
      : { plan: { ...run.identity.plan, load: `${run.identity.plan.load} less` } }),
    target: {
      name: target.name,
      origin: target.origin,
      ...(target.traces === undefined ? {} : { traces: target.traces }),
    },
    startedAt: run.startedAt.toISOString(),
    endedAt: new Date().toISOString(),
  }
  const facts = {
    judgement,
    explained: explain({
      ...{ view, gates, reasons },
      pastBorderline: new Map(Object.entries(options.pastBorderline ?? {})),
    }),
    setup,
    teardown,
    renewals: [...renewals],
    generator: { fleet: run.fleet, reasons, calibration },
    baseline:
      baseline === undefined
        ? null
        : {
            ...{ id: baseline.id, commit: baseline.commit, startedAt: baseline.startedAt },
            runs: runsOfBaseline(baseline),
            ...(baseline.pinned === undefined ? {} : { pinned: baseline.pinned.id }),
          },
  }
  return { result: resultOf(identified, facts, view), judgement }
}
