// A thread that evaluates what strangers wrote may be held up for good, by a regular expression that goes wrong on an
// answer for one. It shows that it is alive, and is ended by force when it is not.
import type { Worker } from 'node:worker_threads'

export type Beat = Int32Array<SharedArrayBuffer>

const EVERY_MS = 200
/** Longer than anything that is worth waiting for, and than what a busy host takes away. */
export const HELD_AFTER_MS = 5000

/** What is said where evaluating something took too long. */
export const heldWords = (where: string): string =>
  `evaluating an answer took over ${String(HELD_AFTER_MS / 1000)} s ${where}, and was ended: look for a regular expression or a path that takes too long on it`

export const newBeat = (): Beat => new Int32Array(new SharedArrayBuffer(4))

/** In the thread: shows from now on that it is alive. */
export function keepBeating(beat: Beat): void {
  Atomics.add(beat, 0, 1)
  setInterval(() => Atomics.add(beat, 0, 1), EVERY_MS).unref()
}

/**
 * Beside the thread: ends it when its heart has not beaten for five seconds since it began to.
 *
 * @returns stops watching
 */
export function endWhenHeld(worker: Worker, beat: Beat, onHeld: () => void): () => void {
  let seen = 0
  let sinceMs = performance.now()
  const timer = setInterval(() => {
    const now = Atomics.load(beat, 0)
    // What begins is not held: compiling a large plan takes its time.
    if (now === 0 || now !== seen) {
      seen = now
      sinceMs = performance.now()
      return
    }
    if (performance.now() - sinceMs < HELD_AFTER_MS) return
    clearInterval(timer)
    onHeld()
    void worker.terminate()
  }, EVERY_MS)
  return () => {
    clearInterval(timer)
  }
}
