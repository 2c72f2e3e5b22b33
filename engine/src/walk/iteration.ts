// A user on its way through a journey, and the strands into which it may part.
import type { Frame, Received } from '@jolt-gate/core'
import type { Connections } from './connections.js'
import type { Cookies } from './cookies.js'
import type { Program } from './program.js'

export interface OpenGroup {
  group: number
  firstDueMs: number
  lastEndMs: number
  waitedMs: number
  hasFailed: boolean
}

/** What of a pass goes on by itself: the pass, or one branch of what it does together. */
export interface Strand {
  pass: Pass
  parent: Strand | null
  /** The next operation, and the first that is not this strand's. */
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

/** One user on one pass. */
export class Pass implements Strand {
  readonly pass = this
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
  /** Told to end: strands stop where they are. */
  isEnding = false
  /** Rounds of repeats so far: what is drawn in a round differs from what was drawn in the one before. */
  rounds = 0
  last: Received | null = null
  connections: Connections | null = null
  cookies: Cookies | null = null

  constructor(
    readonly program: Program,
    readonly user: number,
    readonly number: number,
    /** Phase in which it arrived. */
    readonly phase: number,
    readonly frame: Frame,
    readonly arrivedMs: number,
    /** The user of the closed model whose pass it is, for whoever began it. */
    readonly slot: number,
  ) {
    this.end = program.operations.length
    this.dueMs = this.lastEndMs = arrivedMs
  }
}

/** A part of a strand that goes on by itself until its last operation. */
export function branchOf(parent: Strand, from: number, to: number, atMs: number): Strand {
  return {
    pass: parent.pass,
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
