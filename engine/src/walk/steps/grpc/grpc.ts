// A call of a method: unary, or with a stream of messages either way.
import { compileHeaders, compileJson, grpcStatus, parseJson, ProtoFault, protoMethod, Received } from '@jolt-gate/core'
import type { Frame, GrpcStep, ProtoMethod } from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import type { GrpcOperation } from '../../../compile/program.js'
import { refusalOf } from '../../../network/reach.js'
import type { ExchangeOutcome } from '../../../http/exchange.js'
import { NOTHING } from '../../assessor.js'
import { beginGroups, noteEnd } from '../../groups.js'
import type { Branch } from '../../iteration.js'
import { plainSample, type Sample } from '../../listener.js'
import type { Cancellable, StepRunner, Walk } from '../kind.js'
import { Call, type CallOutcome } from './call.js'

export const GRPC: StepRunner<GrpcStep, 'grpc'> = {
  compile(step, program) {
    const { shared } = program
    const { lookup } = program.scope
    const given = [...shared.target.headers, ...step.metadata]
    program.push({
      kind: 'grpc',
      ...program.timed(step.name, step),
      hasStatusCheck: step.checks.some(({ subject, test }) => subject.kind === 'status' && test.kind === 'is'),
      method: protoMethod(step.proto, step.called),
      messages: step.messages.map((message) => compileJson(message, lookup)),
      metadata: compileHeaders(new Map(given.map(([name, text]) => [name.toLowerCase(), text])), undefined, lookup),
    })
  },
  run: {
    grpc(walk, branch, operation, dueMs) {
      beginGroups(branch, dueMs)
      const { iteration } = branch
      const { origin } = walk.options
      const refused = refusalOf(new URL(origin))
      const messages = encoded(operation, iteration.frame)
      const startedMs = monotonicMs()
      const sample = plainSample(dueMs, startedMs, startedMs)
      walk.listener.onStarted(iteration, sample)
      if (refused !== undefined)
        end(walk, branch, operation, sample, { kind: 'failed', failure: 'not permitted', detail: refused })
      else if (typeof messages === 'string') end(walk, branch, operation, sample, { kind: 'local', detail: messages })
      else begin(walk, branch, operation, sample, messages)
      return false
    },
  },
}

function begin(walk: Walk, branch: Branch, operation: GrpcOperation, sample: Sample, messages: Uint8Array[]): void {
  const { iteration } = branch
  const { method, timeoutMs } = operation
  const entry: Cancellable = {
    iteration,
    isResting: false,
    leave: () => {
      call.cancel('cut off', 'the drain ended')
    },
    cancel: (kind, detail) => {
      call.cancel(kind, detail)
    },
  }
  const request = {
    session: walk.sessionsOf(iteration).of(walk.options.origin),
    ...{ path: method.path, metadata: operation.metadata(iteration.frame), messages, timeoutMs },
  }
  let ended: CallOutcome | undefined
  const conclude = (outcome: CallOutcome) => {
    walk.open.delete(entry)
    const { bytesSent, bytesReceived, firstByteMs } = call
    const whole = { ...sample, endedMs: monotonicMs(), bytesSent, bytesReceived, firstByteMs }
    end(walk, branch, operation, whole, outcomeOf(outcome, operation, whole))
  }
  const call: Call = new Call(request, (outcome) => {
    // What fails at once does so before it is known here.
    ended = outcome
    if (walk.open.has(entry)) conclude(outcome)
  })
  walk.open.add(entry)
  if (ended !== undefined) conclude(ended)
}

/** The messages of a call; in words, what is wrong with one. */
function encoded({ messages, method }: GrpcOperation, frame: Frame): Uint8Array[] | string {
  try {
    return messages.map((make) => method.encode(parseJson(make(frame)) ?? null))
  } catch (error) {
    if (error instanceof ProtoFault) return error.message
    throw error
  }
}

/** What a call came to, as checks and keeps see it: its status as a number, its messages as JSON. */
function outcomeOf(outcome: CallOutcome, { method, hasStatusCheck }: GrpcOperation, sample: Sample): ExchangeOutcome {
  if (outcome.kind !== 'answered') return outcome
  const { status, words, metadata, messages } = outcome
  if (status !== 0 && !hasStatusCheck)
    return {
      kind: 'failed',
      failure: 'grpc',
      detail: [grpcStatus(status), words].filter((one) => one !== '').join(': '),
    }
  // What is OK and says nothing, where one message is due, has not been answered.
  if (status === 0 && !method.streamsResponses && messages.length !== 1)
    return { kind: 'failed', failure: 'protocol', detail: `${String(messages.length)} messages where one is due` }
  const body = bodyOf(method, messages)
  if (body === undefined) return { kind: 'failed', failure: 'decoding', detail: 'a message that is none of the method' }
  const text = JSON.stringify(body)
  const received = new Received(status, text, {
    header: (name) => [metadata[name]].flat().join(', ') || undefined,
    setCookies: () => [],
    size: sample.bytesReceived,
    timeMs: sample.endedMs - sample.dueMs,
  })
  return { kind: 'answered', received }
}

function bodyOf(method: ProtoMethod, messages: readonly Buffer[]): unknown {
  try {
    const all = messages.map((message) => method.decode(message))
    return method.streamsResponses ? all : (all[0] ?? null)
  } catch (error) {
    if (error instanceof ProtoFault) return undefined
    throw error
  }
}

function end(walk: Walk, branch: Branch, operation: GrpcOperation, sample: Sample, outcome: ExchangeOutcome): void {
  const { iteration } = branch
  const { assessor, listener } = walk
  if (outcome.kind === 'local') {
    iteration.hasLocalFault = true
    listener.onLocalFault(outcome.detail)
  }
  const assessed = assessor.assess(iteration, operation, outcome)
  const received = outcome.kind === 'answered' ? outcome.received : null
  if (iteration.program.needsLast) {
    iteration.last = received ?? NOTHING
    iteration.lastOperation = operation
  }
  noteEnd(branch, sample.endedMs, assessed.failure !== null)
  const { failure, checks } = assessed
  listener.onEnded({ iteration, operation, sample, exchange: null, received, failure, checks })
  walk.goOn(branch, operation, assessed, sample.endedMs)
}
