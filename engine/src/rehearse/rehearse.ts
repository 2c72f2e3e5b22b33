// A rehearsal, in a thread of its own: what a plan evaluates may hold that up, and nothing else.
import { filesSentBy, type Rehearsal } from '@jolt-gate/core'
import { endWhenHeld, heldWords, newBeat } from '../threads/beat.js'
import { startThread } from '../threads/thread.js'
import type { FromRehearsal, RehearsalData, ToRehearsal } from './rehearse-thread.js'
import type { OnKept, OnStep, Rehearsed } from './rehearsing.js'

export interface RehearseOptions extends Omit<Rehearsed, 'files'> {
  fileBytes?: (path: string) => Uint8Array | undefined
  onStep?: OnStep
  /** Told of all that setup has kept, after each of its steps: what a teardown elsewhere needs. */
  onKept?: OnKept
  /** Stops it: the step under way is cut off, and of what follows the teardown alone is done. */
  signal?: AbortSignal
}

/** What of the options travels to a thread or a process. */
export function rehearsedOf({ fileBytes, ...rest }: Omit<RehearseOptions, 'onStep' | 'onKept' | 'signal'>): Rehearsed {
  const files = new Map(filesSentBy(rest.plan).map((path) => [path, fileBytes?.(path) ?? new Uint8Array()]))
  return { ...rest, files }
}

/**
 * Walks setup, each journey once, and teardown. Secrets are masked in all of it.
 *
 * @throws Error when it cannot be made, or when evaluating an answer held it up
 */
export function rehearse({ onStep, onKept, signal, ...rest }: RehearseOptions): Promise<Rehearsal> {
  const beat = newBeat()
  const workerData: RehearsalData = { rehearsed: rehearsedOf(rest), beat }
  const worker = startThread('rehearse/rehearse-thread', { workerData })
  let last = 'the beginning'
  const stop = () => {
    worker.postMessage('stop' satisfies ToRehearsal)
  }
  if (signal?.aborted === true) stop()
  signal?.addEventListener('abort', stop, { once: true })
  return new Promise<Rehearsal>((resolve, reject) => {
    const stopWatching = endWhenHeld(worker, beat, () => {
      reject(new Error(heldWords(`after ${last}`)))
    })
    worker.on('message', (message: FromRehearsal) => {
      switch (message.kind) {
        case 'step':
          last = `"${message.step.step}"`
          onStep?.(message.step, message.memory)
          return
        case 'kept':
          onKept?.(message.values)
          return
        case 'done':
          resolve(message.rehearsal)
          return
        case 'fault':
          reject(new Error(message.detail))
          return
        default:
          message satisfies never
      }
    })
    worker.on('error', (error) => {
      reject(error instanceof Error ? error : new Error(String(error)))
    })
    worker.on('exit', () => {
      stopWatching()
      signal?.removeEventListener('abort', stop)
      reject(new Error('the rehearsal ended too early'))
    })
  })
}
