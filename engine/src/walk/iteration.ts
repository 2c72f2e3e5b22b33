// A user on its way through a journey, and the branches into which it may part.
import type { Frame, Received } from '@jolt-gate/core'
import type { Connections } from '../http/connections.js'
import type { Cookies } from '../http/cookies.js'
import type { Program, TimedOperation } from '../compile/program.js'
import type { WayOut } from '../network/way-out.js'
import type { Placed } from './open-items.js'
import type { CallSessions } from './steps/grpc/sessions.js'

export interface OpenGroup {
  group: number
  firstDueMs: number
  lastEndMs: number
  waitedMs: number
  hasFailed: boolean
}

/** A thread of an iteration: the whole of it, or one branch of a parallel step. */
export interface Branch {
  iteration: Iteration
  parent: Branch | null
  /** The next operation, and the first that is not this branch's. */
  next: number
  end: number
  /** When its present wait is over. */
  dueMs: number
  /** Waits so far; of what is done together, those of the branch that ended last. */
  waitedMs: number
  /** Branches that have not ended; when the last of them did, and how long it had waited. */
  open: number
  branchesEndMs: number
  branchesWaitedMs: number
  groups: OpenGroup[]
}

/** One user on one iteration. */
export class Iteration implements Branch, Placed {
  openAt = -1
  readonly iteration = this
  readonly parent = null
  next = 0
  readonly end: number
  dueMs: number
  waitedMs = 0
  open = 0
  branchesEndMs = 0
  branchesWaitedMs = 0
  groups: OpenGroup[] = []
  lastEndMs: number
  hasFailed = false
  /** Whether something failed that is no request, and whether something failed for a fault of ours. */
  hasOtherFailure = false
  hasLocalFault = false
  /** Cut off in a connection that stays open after all that was to be done. */
  isStaying = false
  /** Told to end: branches stop where they are. */
  isEnding = false
  /** Rounds of repeats so far: what is drawn in a round differs from what was drawn in the one before. */
  rounds = 0
  /** When the last round of a repeat until the load ends was over. */
  roundEndMs = -1
  last: Received | null = null
  /** The request or message that `last` came of. */
  lastOperation: TimedOperation | null = null
  /** Number of the network that its user comes over, and the way out over that; null until it is needed. */
  network = 0
  out: WayOut | null = null
  connections: Connections | null = null
  /** Of users who share none. */
  sessions: CallSessions | null = null
  cookies: Cookies | null = null

  constructor(
    readonly program: Program,
    readonly user: number,
    readonly number: number,
    /** Phase in which it arrived. */
    readonly phase: number,
    readonly frame: Frame,
    readonly arrivedMs: number,
    /** The user of the closed model whose iteration it is, for the one who began it. */
    readonly slot: number,
  ) {
    this.end = program.operations.length
    this.dueMs = this.lastEndMs = arrivedMs
  }
}

/** A part of a branch that advances by itself until its last operation. */
export function branchOf(parent: Branch, from: number, to: number, atMs: number): Branch {
  return {
    iteration: parent.iteration,
    parent,
    next: from,
    end: to,
    dueMs: atMs,
    waitedMs: 0,
    open: 0,
    branchesEndMs: 0,
    branchesWaitedMs: 0,
    groups: [],
  }
}

/** Where an iteration draws at a place of its plan: each round of a repeat has draws of its own. */
export const placeOf = ({ rounds }: Iteration, place: number): number => place + rounds * 1_000_003
