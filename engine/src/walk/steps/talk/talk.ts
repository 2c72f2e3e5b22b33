// How a talk stands in its walk: where it may lead, what is recorded of it, and how it is left or cut off.
import {
  compileHeaders,
  compileUrlTemplate,
  waitMs,
  type AwaitAct,
  type Draws,
  type SocketStep,
  type StreamStep,
} from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import type { ProgramCompiler } from '../../../compile/program-compiler.js'
import type { CompiledAwait, SocketOperation, StreamOperation, TimedOperation } from '../../../compile/program.js'
import { refusalOf } from '../../../network/reach.js'
import type { Failure } from '../../assessor.js'
import { beginGroups, noteEnd } from '../../groups.js'
import type { Branch } from '../../iteration.js'
import { plainSample } from '../../listener.js'
import type { Cancellable, StepOutcome, Walk } from '../kind.js'
import type { Talker, TalkEvent, TalkListener } from './talker.js'

/** What an event says of when it was sent may be so much ahead of our clock, which is no other's. */
const AHEAD_MS = 50
/** A number that is smaller than this counts seconds (of 1973 in milliseconds). */
const LEAST_AS_MS = 1e11

type Opening = SocketOperation | StreamOperation

/** What opens a talk, as it is compiled. */
export function compileOpening(step: SocketStep | StreamStep, program: ProgramCompiler) {
  const { shared } = program
  const lookup = program.lookupWith(step.with)
  const given = [...shared.target.headers, ...step.headers]
  return {
    ...program.timed(step.name, { timeoutMs: step.timeoutMs, onFailure: step.onFailure }),
    url: compileUrlTemplate(step.url, lookup),
    headers: compileHeaders(new Map(given.map(([name, text]) => [name.toLowerCase(), text])), undefined, lookup),
  }
}

export function compileAwait(act: AwaitAct, step: SocketStep | StreamStep, program: ProgramCompiler): CompiledAwait {
  const { shared } = program
  const lookup = program.lookupWith(step.with)
  return {
    kind: 'await',
    timed: program.timed(act.name, { keeps: act.keeps, timeoutMs: act.withinMs, onFailure: step.onFailure }),
    verify: shared.verify(act.check, `"${act.name}": ${act.check.name}`, lookup),
    sentAt: act.sentAt === undefined ? undefined : shared.keep(act.sentAt, act.name, lookup).take,
    withinMs: act.withinMs,
  }
}

/** Begins a talk that is due; it goes on beside its branch, which waits for its end. */
export function beginTalk(
  walk: Walk,
  branch: Branch,
  operation: Opening,
  dueMs: number,
  open: (target: URL, listener: TalkListener) => Talker,
): void {
  beginGroups(branch, dueMs)
  const target = targetOf(operation.url(branch.iteration.frame), walk)
  if (typeof target !== 'string') {
    goOnWith(walk, branch, operation, (listener) => open(target, listener))
    return
  }
  const failure: Failure = { kind: 'not permitted', detail: target, isOnTime: false }
  const endedMs = monotonicMs()
  const nothing = { timed: undefined, goesOn: false, bytesSent: 0, bytesReceived: 0, received: undefined }
  record(walk, branch, operation, { ...nothing, dueMs, endedMs, failure })
  walk.goOn(branch, operation, { failure, continues: true }, endedMs)
}

/** Where it leads; in words, where it may not lead there. */
function targetOf(url: string | undefined, { options }: Walk): URL | string {
  if (url === undefined) return 'a value of the URL is missing'
  if (!URL.canParse(url, options.origin)) return url
  const target = new URL(url, options.origin)
  const refused = refusalOf(target)
  if (refused !== undefined) return refused
  const isHttp = target.protocol === 'http:' || target.protocol === 'https:'
  return isHttp && options.out.permits(target.origin) ? target : target.origin
}

function goOnWith(walk: Walk, branch: Branch, operation: Opening, open: (listener: TalkListener) => Talker): void {
  const { iteration } = branch
  const { assessor } = walk
  let failure: Failure | null = null
  let continues = true
  const talker: Talker = open({
    // What cannot be read is not what is awaited.
    holds: ({ verify }, received) =>
      assessor.holds(verify, received, iteration.frame) || (assessor.isUnreadable ? '' : assessor.fault),
    waitMs: (act) => waitMs(act.wait, walk.drawAt(iteration, act.place)),
    sentAgoMs: ({ sentAt }, received, arrivedAtMs) =>
      sentAt === undefined ? undefined : agoOf(sentAt(received, iteration.frame, firstOf), arrivedAtMs),
    onEvent: (event) => {
      const outcome = record(walk, branch, operation, event)
      failure ??= outcome.failure
      continues &&= outcome.continues
      return continues && (event.goesOn || !ENDS.has(event.failure?.kind ?? ''))
    },
    onEnd: (endedMs) => {
      walk.open.delete(entry)
      walk.goOn(branch, operation, { failure, continues }, endedMs)
    },
  })
  const entry: Cancellable = {
    iteration,
    get isResting() {
      return talker.isResting
    },
    leave: () => {
      iteration.isStaying = talker.hasOnlyWaitsLeft && isLast(branch)
      talker.leave()
    },
    cancel: (kind, detail) => {
      talker.cancel(kind, detail)
    },
  }
  walk.open.add(entry)
}

/** After these nothing more comes. */
const ENDS = new Set<string>(['reset', 'socket', 'stream'])
const firstOf: Draws['next'] = () => 0

/** How long ago something was sent that says when: as a date (RFC 3339), or in ms or seconds since 1970. */
function agoOf(sent: unknown, arrivedAtMs: number): number | string {
  const number = typeof sent === 'number' ? sent : Number.NaN
  const sentMs = typeof sent === 'string' ? Date.parse(sent) : number < LEAST_AS_MS ? 1000 * number : number
  if (!Number.isFinite(sentMs)) return 'it does not say when it was sent'
  const agoMs = arrivedAtMs - sentMs
  return agoMs < -AHEAD_MS
    ? `it was sent ${String(Math.round(-agoMs))} ms from now: clocks are apart`
    : Math.max(0, agoMs)
}

/** Records one thing that was timed. */
function record(walk: Walk, branch: Branch, opening: TimedOperation, event: TalkEvent): StepOutcome {
  const { iteration } = branch
  const { assessor } = walk
  const operation = event.timed ?? opening
  const kept: StepOutcome =
    event.received === undefined
      ? { failure: null, continues: event.failure === null || assessor.keepNothing(iteration, operation) }
      : assessor.keepAll(iteration, operation, event.received)
  const failure: Failure | null = event.failure === null ? kept.failure : { ...event.failure, isOnTime: false }
  if (iteration.program.needsLast && event.received !== undefined) {
    iteration.last = event.received
    iteration.lastOperation = operation
  }
  noteEnd(branch, event.endedMs, failure !== null)
  const { bytesSent, bytesReceived } = event
  walk.listener.onEnded({
    iteration,
    operation,
    sample: { ...plainSample(event.dueMs, event.dueMs, event.endedMs), bytesSent, bytesReceived },
    exchange: null,
    received: event.received ?? null,
    failure,
    checks: [],
  })
  return { failure, continues: kept.continues }
}

/** Whether nothing comes after the present step of an iteration. */
function isLast({ iteration, parent, next, end }: Branch): boolean {
  return parent === null && iteration.program.operations.slice(next, end).every(({ kind }) => kind === 'group end')
}
