// An alarm that calls back at a moment: from a pacing thread where exactness matters, from a timer where it does not.
import { MessageChannel } from 'node:worker_threads'
import { startThread } from '../threads/thread.js'
import { monotonicMs } from './clock.js'

export interface Alarm {
  /** Rings once at this moment of the monotonic clock, or as soon as it can after it; a later call replaces it. */
  set(atMs: number): void
  close(): void
}

/** Shared state of the pacing thread: a generation that is bumped at each change, and the next moment. */
export const GENERATION = 0
export const CLOSED = 1
export interface PacerState {
  words: Int32Array<SharedArrayBuffer>
  dueMs: Float64Array<SharedArrayBuffer>
}

/**
 * An alarm on a thread of its own, which sleeps until the moment and then posts to this thread. It costs a tenth of a
 * core at a thousand rings a second, and is a few hundredths of a millisecond late where `setTimeout` is one late.
 *
 * @returns the alarm once its thread is awake, so that the first moment is kept like any other
 */
export async function pacedAlarm(ring: () => void): Promise<Alarm> {
  const shared = new SharedArrayBuffer(16)
  const state: PacerState = { words: new Int32Array(shared, 0, 2), dueMs: new Float64Array(shared, 8, 1) }
  state.dueMs[0] = Infinity
  const { port1, port2 } = new MessageChannel()
  const pacer = startThread('clock/pacer-thread', {
    workerData: { state, port: port2 },
    transferList: [port2],
  })
  await new Promise((resolve) => port1.once('message', resolve))
  pacer.unref()
  let armedMs = Infinity
  port1.on('message', () => {
    armedMs = Infinity
    ring()
  })
  port1.unref()
  return {
    set(atMs) {
      if (atMs === armedMs) return
      armedMs = atMs
      state.dueMs[0] = atMs
      Atomics.add(state.words, GENERATION, 1)
      Atomics.notify(state.words, GENERATION)
    },
    close() {
      Atomics.store(state.words, CLOSED, 1)
      Atomics.add(state.words, GENERATION, 1)
      Atomics.notify(state.words, GENERATION)
      port1.close()
    },
  }
}

/** An alarm on a timer of this thread, up to a millisecond late; enough for setup and teardown. */
export function timerAlarm(ring: () => void): Alarm {
  let timer: NodeJS.Timeout | undefined
  return {
    set(atMs) {
      clearTimeout(timer)
      if (atMs === Infinity) return
      timer = setTimeout(ring, Math.max(0, Math.min(atMs - monotonicMs(), 2 ** 30)))
    },
    close() {
      clearTimeout(timer)
    },
  }
}
