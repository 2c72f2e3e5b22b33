// Whether the load that was due was made, and what kept the generator from it.
import type { Recording } from '../measure/recording.js'
import type { RunShape } from '../measure/shape.js'
import { isOpenPhase } from '../plan/phases.js'
import type { Gate } from '../plan/model.js'
import { tooLittleLeft } from './losses.js'
import { secondsWithin, sum } from './scope.js'

export interface GeneratorFaults {
  /** Out of ports, files or memory, in words. */
  local: string[]
  /** A worker that died, in words. */
  deaths: string[]
  /** Rows taken once each that ran out where no arrivals were due by themselves, in words. */
  outOfData?: string[]
  /** Rows that ran out and ended the load, as the plan wanted, in words. */
  endedByData?: string[]
  /** Clocks of generators that were not met, so that nobody knows when their load began, in words. */
  clockFaults?: string[]
  /** Clocks that were met less well than one would wish, in words. */
  clockNotes?: string[]
}

/** Below this share of the arrivals due, the load was not delivered. */
export const LEAST_STARTED = 0.999
/** Less of the processor taken away is not worth a word. */
const LEAST_TAKEN_SECONDS = 0.2
const LEAST_TAKEN = 0.01
/** A program or two wait for a moment on any machine that works. */
const MOST_WAITED = 0.25

/** What makes a run's figures doubtful, in words, by what it puts in doubt. All empty when nothing does. */
export interface Doubts {
  /** A sender that died: what it had recorded is gone, and nothing can be said. */
  deaths: string[]
  /** The load that was due was not made, or not all of it. */
  delivery: string[]
  /** Rows ran out: so they will in every run. */
  spent: string[]
  /** Failures that were ours. */
  local: string[]
}

export const NO_DOUBTS: Doubts = { deaths: [], delivery: [], spent: [], local: [] }

/** All reasons, the worst first. */
export const reasonsOf = ({ deaths, delivery, spent, local }: Doubts): string[] => [
  ...new Set([...deaths, ...delivery, ...spent, ...local]),
]

/**
 * Why a run's figures are not to be trusted, as far as they are not.
 *
 * @param wasStopped - the load was ended early, as the plan or a person wanted: what was due after that was never to
 * start
 */
export function distrust(
  recording: Recording,
  shape: RunShape,
  gates: readonly Gate[],
  faults: GeneratorFaults,
  wasStopped = false,
): Doubts {
  const { words, isSpent } = (wasStopped ? undefined : lateStarts(recording, shape, gates)) ?? NOT_LATE
  const tooLittle = tooLittleLeft(recording.losses, shape)
  return {
    deaths: faults.deaths,
    delivery: [
      ...(isSpent ? [] : words),
      ...(tooLittle === undefined ? [] : [tooLittle]),
      ...(faults.clockFaults ?? []),
    ],
    spent: [...(isSpent ? words : []), ...(faults.outOfData ?? [])],
    local: faults.local,
  }
}

interface LateStarts {
  words: string[]
  isSpent: boolean
}
const NOT_LATE: LateStarts = { words: [], isSpent: false }

/** Arrivals that were due by themselves and did not start; capped ones count too, unless a gate limits them. */
function lateStarts(recording: Recording, shape: RunShape, gates: readonly Gate[]): LateStarts {
  const isJudged = (phase: number) => {
    const named = shape.phases[phase]
    return named?.measured === true && isOpenPhase(named)
  }
  const arrivals = [...recording.arrivals.values()].filter((cell) => isJudged(cell.phase))
  const capped = sum(arrivals, (cell) => cell.capped)
  const isLimited = gates.some((gate) => gate.measure.kind === 'capped arrivals')
  const due = sum(shape.phases, (phase) => (phase.measured && isOpenPhase(phase) ? phase.arrivalsDue : 0))
  const started = sum(arrivals, (cell) => cell.started) + (isLimited ? capped : 0)
  if (due === 0 || started >= due * LEAST_STARTED) return NOT_LATE
  const share = ((100 * started) / due).toFixed(1)
  const outOfData = sum(arrivals, (cell) => cell.outOfData)
  const why =
    outOfData > 0
      ? `the data ran out for ${String(outOfData)} of them`
      : capped > 0 && !isLimited
        ? `${String(capped)} arrivals were capped, and no gate limits that`
        : 'the generator could not keep up'
  const words = [`only ${share} % of the arrivals due were started (${String(started)} of ${String(due)}): ${why}`]
  return { words, isSpent: outOfData > 0 }
}

/** A second of which less was taken away is like any other. */
const LEAST_OF_SECOND = 0.05

/**
 * How far the host kept the processor from this machine, or this machine from us, over the measured seconds, in words;
 * undefined where it hardly did, or where the operating system does not tell.
 */
export function hostWords(recording: Recording, shape: RunShape): string | undefined {
  const rows = secondsWithin(recording, shape, { isPhase: (phase) => shape.phases[phase]?.measured === true })
  const stolen = sum(rows, (row) => row.steal)
  const waited = sum(rows, (row) => row.pressure)
  if (stolen >= Math.max(LEAST_TAKEN_SECONDS, LEAST_TAKEN * rows.length))
    return `the host took ${partWords(rows.map(({ steal }) => steal))}`
  return waited >= Math.max(LEAST_TAKEN_SECONDS, MOST_WAITED * rows.length)
    ? `other programs held up ${partWords(rows.map(({ pressure }) => pressure))}`
    : undefined
}

/** `31 % of the processor in 14 of 30 s`: the mean over the seconds in which it mattered. */
function partWords(shares: readonly number[]): string {
  const taken = shares.filter((share) => share >= LEAST_OF_SECOND)
  const counted = taken.length === 0 ? shares : taken
  const percent = (100 * sum(counted, (share) => share)) / Math.max(1, counted.length)
  return `${percent.toFixed(0)} % of the processor in ${String(counted.length)} of ${String(shares.length)} s`
}
