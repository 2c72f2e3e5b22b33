// A rehearsal in a process of its own: what it holds in memory, and how it dies, is no matter of the one who asks.
import type { Json, Rehearsal } from '@jolt-gate/core'
import { endOf, startChild } from '../threads/child.js'
import type { FromRehearsalProcess, RehearsalOrder, ToRehearsalProcess } from './rehearsal-protocol.js'
import { rehearsedOf, type RehearseOptions } from './rehearse.js'

/** Responses in full, of which each may have some megabytes. */
const MOST_MB = 384

export interface RehearseApartOptions extends RehearseOptions {
  journal: RehearsalOrder['journal']
}

/**
 * Rehearses as `rehearse` does. Where its process dies, another one tears down with what setup had kept.
 *
 * @throws Error when it cannot be made, when evaluating an answer held it up, or when its process died: how, and
 * whether was torn down
 */
export async function rehearseApart(options: RehearseApartOptions): Promise<Rehearsal> {
  let kept: ReadonlyMap<string, Json> | undefined
  const made = await inProcess({ ...options, onKept: (values) => (kept = values) })
  if (made.kind === 'done') return made.rehearsal
  if (made.kind === 'fault') throw new Error(made.detail)
  if (options.plan.teardown.length === 0 || kept === undefined) throw new Error(`the rehearsal ${made.how}`)
  const { onStep: _, signal: __, ...rest } = options
  const torn = await inProcess({ ...rest, teardownWith: kept })
  const isDone = torn.kind === 'done' && torn.rehearsal.passed
  throw new Error(`the rehearsal ${made.how}; teardown was ${isDone ? 'done' : 'not done to its end'}`)
}

type Made = { kind: 'done'; rehearsal: Rehearsal } | { kind: 'fault'; detail: string } | { kind: 'died'; how: string }

async function inProcess({ journal, signal, onStep, onKept, ...rest }: RehearseApartOptions): Promise<Made> {
  const child = startChild('rehearse/rehearsal-process', { mostMb: MOST_MB })
  const send = (message: ToRehearsalProcess) => {
    // One that is gone hears nothing: that it is gone is told below.
    if (child.connected) child.send(message, () => undefined)
  }
  let made: Made | undefined
  child.on('message', (message: FromRehearsalProcess) => {
    if (message.kind === 'step') onStep?.(message.step, message.memory)
    else if (message.kind === 'kept') onKept?.(message.values)
    else {
      made = message
      send({ kind: 'heard' })
    }
  })
  const stop = () => {
    send({ kind: 'stop' })
  }
  send({ kind: 'rehearse', rehearsed: rehearsedOf(rest), journal })
  if (signal?.aborted === true) stop()
  signal?.addEventListener('abort', stop, { once: true })
  const how = await endOf(child)
  signal?.removeEventListener('abort', stop)
  return made ?? { kind: 'died', how }
}
