// A thread that evaluates what strangers wrote may be held up for good, by a regular expression that goes wrong on an
// answer for one. It shows that it is alive, and is ended by force when it is not.
import type { Worker } from 'node:worker_threads'

export type Beat = Int32Array<SharedArrayBuffer>

const EVERY_MS = 200
/** Where a thread counts its beats, and where it notes the sentence that it evaluates: its number, or 0 for none. */
const BEATS = 0
const SENTENCE = 1
/** Longer than anything that is worth waiting for, and than what a busy host takes away. */
export const HELD_AFTER_MS = 5000

/** What is said where evaluating something took too long, and which sentence did where that is known. */
export const heldWords = (where: string, sentence?: string): string =>
  `evaluating an answer took over ${String(HELD_AFTER_MS / 1000)} s ${where}${sentence === undefined ? '' : ` (${sentence})`}, and was ended: look for a regular expression or a path that takes too long on it`

export const newBeat = (): Beat => new Int32Array(new SharedArrayBuffer(8))

/** In the thread: shows from now on that it is alive. */
export function keepBeating(beat: Beat): void {
  Atomics.add(beat, BEATS, 1)
  setInterval(() => Atomics.add(beat, BEATS, 1), EVERY_MS).unref()
}

/** In the thread: the same function, noted by its number while it evaluates. */
export function noted<Arguments extends unknown[], Result>(
  beat: Beat,
  number: number,
  evaluate: (...given: Arguments) => Result,
): (...given: Arguments) => Result {
  return (...given) => {
    beat[SENTENCE] = number
    const result = evaluate(...given)
    beat[SENTENCE] = 0
    return result
  }
}

/** Beside the thread: the number of the sentence that it evaluates; 0 for none. */
export const sentenceUnder = (beat: Beat): number => Atomics.load(beat, SENTENCE)

/**
 * Beside the thread: ends it when its heart has not beaten for five seconds since it began to.
 *
 * @returns stops watching
 */
export function endWhenHeld(worker: Worker, beat: Beat, onHeld: () => void): () => void {
  let seen = 0
  let missed = 0
  const timer = setInterval(() => {
    const now = Atomics.load(beat, BEATS)
    // What begins is not held: compiling a large plan takes its time.
    if (now === 0 || now !== seen) {
      seen = now
      missed = 0
      return
    }
    // Beats are counted by our own turns, not by the clock: a process that was paused has missed none.
    if (++missed < HELD_AFTER_MS / EVERY_MS) return
    clearInterval(timer)
    onHeld()
    void worker.terminate()
  }, EVERY_MS)
  return () => {
    clearInterval(timer)
  }
}
