// A talk over a WebSocket: its opening, and each say and await in it, is timed under a name of its own.
import { compileHeaders, compileJson, compileText, compileUrlTemplate, waitMs, type SocketStep } from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import type { ProgramCompiler } from '../../../compile/program-compiler.js'
import type { CompiledAct, SocketOperation } from '../../../compile/program.js'
import { refusalOf } from '../../../network/reach.js'
import type { Failure } from '../../assessor.js'
import { beginGroups, noteEnd } from '../../groups.js'
import type { Branch } from '../../iteration.js'
import { plainSample } from '../../listener.js'
import type { Cancellable, StepOutcome, StepRunner, Walk } from '../kind.js'
import { SocketTalker, type SocketEvent } from './socket-talk.js'

export const SOCKET: StepRunner<SocketStep, 'socket'> = {
  compile(step, program) {
    const { shared } = program
    const lookup = program.lookupWith(step.with)
    const acts = step.acts.map((act) => compileAct(act, step, program, lookup))
    const given = [...shared.target.headers, ...step.headers]
    program.push({
      kind: 'socket',
      ...program.timed(step.name, { timeoutMs: step.timeoutMs, onFailure: step.onFailure }),
      url: compileUrlTemplate(step.url, lookup),
      headers: compileHeaders(new Map(given.map(([name, text]) => [name.toLowerCase(), text])), undefined, lookup),
      acts,
    })
  },
  run: {
    socket(walk, branch, operation, dueMs) {
      beginGroups(branch, dueMs)
      const url = operation.url(branch.iteration.frame)
      const target = targetOf(url, walk)
      if (typeof target === 'string') {
        const failure: Failure = { kind: 'not permitted', detail: target, isOnTime: false }
        const endedMs = monotonicMs()
        const nothing = { act: undefined, bytesSent: 0, bytesReceived: 0, received: undefined }
        record(walk, branch, operation, { ...nothing, dueMs, endedMs, failure })
        walk.goOn(branch, operation, { failure, continues: true }, endedMs)
      } else talk(walk, branch, operation, target, dueMs)
      return false
    },
  },
}

function compileAct(
  act: SocketStep['acts'][number],
  { onFailure }: SocketStep,
  program: ProgramCompiler,
  lookup: ProgramCompiler['scope']['lookup'],
): CompiledAct {
  const { shared } = program
  if (act.kind === 'wait') return { kind: 'wait', wait: act.wait, place: shared.nextPlace() }
  if (act.kind === 'say') {
    const text = act.json === undefined ? compileText(act.text ?? '', lookup) : compileJson(act.json, lookup)
    return { kind: 'say', timed: program.timed(act.name, { onFailure }), text }
  }
  return {
    kind: 'await',
    timed: program.timed(act.name, { keeps: act.keeps, timeoutMs: act.withinMs, onFailure }),
    verify: shared.verify(act.check, `"${act.name}": ${act.check.name}`, lookup),
    withinMs: act.withinMs,
  }
}

/** Where a socket leads; in words, where it may not lead there. */
function targetOf(url: string | undefined, { options }: Walk): URL | string {
  if (url === undefined) return 'a value of the URL is missing'
  if (!URL.canParse(url, options.origin)) return url
  const target = new URL(url, options.origin)
  const refused = refusalOf(target)
  if (refused !== undefined) return refused
  if (!options.out.permits(target.origin)) return target.origin
  target.protocol = target.protocol.replace('http', 'ws')
  return target
}

function talk(walk: Walk, branch: Branch, operation: SocketOperation, target: URL, dueMs: number): void {
  const { iteration } = branch
  const { assessor } = walk
  let failure: Failure | null = null
  let continues = true
  const talker: SocketTalker = new SocketTalker(
    {
      operation,
      url: target.href,
      frame: iteration.frame,
      out: walk.outOf(iteration),
      // A message that cannot be read is not the one that is awaited.
      holds: ({ verify }, received) =>
        assessor.holds(verify, received, iteration.frame) || (assessor.isUnreadable ? '' : assessor.fault),
      waitMs: (act) => waitMs(act.wait, walk.drawAt(iteration, act.place)),
      onEvent: (event) => {
        const outcome = record(walk, branch, operation, event)
        failure ??= outcome.failure
        continues &&= outcome.continues
        return continues && event.failure?.kind !== 'reset' && event.failure?.kind !== 'socket'
      },
      onEnd: (endedMs) => {
        walk.open.delete(open)
        walk.goOn(branch, operation, { failure, continues }, endedMs)
      },
    },
    dueMs,
  )
  const open: Cancellable = {
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
  walk.open.add(open)
}

/** Records one thing on a socket that was timed. */
function record(walk: Walk, branch: Branch, opening: SocketOperation, event: SocketEvent): StepOutcome {
  const { iteration } = branch
  const { assessor } = walk
  const operation = event.act === undefined ? opening : event.act.timed
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
