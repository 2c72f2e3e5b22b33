// A plan compiled for walking: flat lists of operations, with every name turned into a slot.
import type {
  CompiledRequest,
  Draws,
  Frame,
  FileBytes,
  ProtoMethod,
  Finder,
  ValueReader,
  Reason,
  Take,
  Verify,
  WaitStep,
} from '@jolt-gate/core'
import type { Beat } from '../threads/beat.js'

export interface CompiledCheck {
  verify: Verify
  /** What the check looks at, for the one who shows it. */
  find: Finder
  /** Why it failed, where its own words do not say all. */
  reason: Reason | undefined
  number: number
  name: string
  isOnStatus: boolean
  isOnTime: boolean
}
export interface CompiledKeep {
  take: Take
  slot: number
  name: string
  secret: boolean
  place: number
}

/** What is timed and counted under a name of its own. */
export interface TimedOperation {
  /** Number of the step in the shape of the run; −1 in setup and teardown, which are not measured. */
  step: number
  place: number
  name: string
  checks: CompiledCheck[]
  keeps: CompiledKeep[]
  timeoutMs: number
  endsIterationOnFailure: boolean
}

export interface SendOperation extends TimedOperation {
  kind: 'send'
  request: CompiledRequest
  hasStatusCheck: boolean
  needsBody: boolean
  redirects: number
  http: 1 | 2
  refreshMs: number | undefined
}
/** A function of a script, by the name under which the script exports it. */
export interface ScriptCall {
  file: string
  script: string
  name: string
}
export interface CallOperation extends TimedOperation {
  kind: 'call'
  call: ScriptCall
  /** The argument as JSON text. */
  argument: (frame: Frame) => string
}
interface TalkOperation extends TimedOperation {
  url: (frame: Frame) => string | undefined
  headers: (frame: Frame) => string[]
  acts: CompiledAct[]
}
export interface SocketOperation extends TalkOperation {
  kind: 'socket'
}
export interface StreamOperation extends TalkOperation {
  kind: 'stream'
  /** How long it stays open, at least; 0 for no longer than its acts take. */
  staysMs: number
  /** Each time that it is opened again counts as this. */
  reconnect: TimedOperation
}
export type CompiledAct =
  | { kind: 'wait'; wait: WaitStep['wait']; place: number }
  | { kind: 'say'; timed: TimedOperation; text: (frame: Frame) => string }
  | CompiledAwait
export interface CompiledAwait {
  kind: 'await'
  timed: TimedOperation
  verify: Verify
  /** When what came was sent, by its own words. */
  sentAt: Take | undefined
  withinMs: number
}
export interface GrpcOperation extends TimedOperation {
  kind: 'grpc'
  hasStatusCheck: boolean
  method: ProtoMethod
  /** Each as JSON text. */
  messages: ((frame: Frame) => string)[]
  /** Names and values in turn. */
  metadata: (frame: Frame) => string[]
}
export interface UnmetOperation extends TimedOperation {
  kind: 'until unmet'
  rounds: number
}
export interface SqlOperation extends TimedOperation {
  kind: 'sql'
  database: (frame: Frame) => string
  statement: string
  parameters: ValueReader[]
}

/** A check on the last response, by the sentence that a person wrote. */
export interface Condition {
  verify: Verify
  name: string
}

/** Numbers of operations are places in the program's list. */
export type Operation =
  | SendOperation
  | CallOperation
  | SocketOperation
  | StreamOperation
  | GrpcOperation
  | SqlOperation
  /** One that ends with the load is over when the load is. */
  | { kind: 'wait'; wait: WaitStep['wait']; place: number; endsWithLoad: boolean }
  | { kind: 'group'; group: number }
  | { kind: 'group end' }
  /** Continues at `otherwise` when the condition does not hold, and at `after` when it cannot be evaluated. */
  | { kind: 'when'; condition: Condition; otherwise: number; after: number }
  | { kind: 'jump'; to: number }
  | { kind: 'repeat begin'; counter: number }
  /** Leaves for `end` once all rounds are made. */
  | { kind: 'repeat test'; counter: number; times: number; end: number }
  | { kind: 'repeat next'; counter: number; until: Condition | 'load ends' | undefined; begin: number; end: number }
  /** All rounds are made, and what was to come true has not. */
  | UnmetOperation
  | { kind: 'pick'; weights: number[]; targets: number[]; place: number }
  /** Walks each branch at once, and continues at `next` when all have ended. */
  | { kind: 'parallel'; branches: { from: number; to: number }[]; next: number }

export interface Program {
  journey: number
  returning: boolean
  operations: Operation[]
  /** Whether a condition looks at the last response. */
  needsLast: boolean
  /** Slots whose values are secrets that a response gave. */
  secretSlots: number[]
  /** The data sets of which an iteration takes a row, by number, with where it keeps the number of that row. */
  data: { set: number; slot: number }[]
  /** Fills the made values of a new iteration. */
  begin: (frame: Frame, user: number, iteration: number, draws: Draws) => void
}

export interface Compiled {
  setup: Program
  journeys: Program[]
  teardown: Program
  slotCount: number
  /** Slots that setup fills, and that every user sees. */
  setupSlots: number[]
  /** Every sentence that is evaluated on what was received, with its step; the number of each is its place, from 1. */
  sentences: string[]
  /** Where an iteration keeps the number of its row, for each data set. */
  rowSlots: number[]
}

/** What a run gives to its templates besides the plan. */
export interface RunValues {
  id: string
  seed: number
  startedAtMs: number
  secrets: Record<string, string>
  /** Values set on the command line, before those of the plan. */
  overrides: Record<string, string>
}

/** What compiling needs from outside the plan. */
export interface CompileTools {
  run: RunValues
  fileBytes: FileBytes
  /** Where the thread notes which sentence it evaluates. */
  beat?: Beat | undefined
}
