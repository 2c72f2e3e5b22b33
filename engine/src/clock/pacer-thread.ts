// The pacing thread: sleeps until the next due moment and posts to its sender. Entry of a worker thread.
import { workerData, type MessagePort } from 'node:worker_threads'
import { CLOSED, GENERATION, type PacerState } from './alarm.js'
import { monotonicMs } from './clock.js'
import { goBeforeOthers } from './priority.js'

// eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- the sender gives what this says
const { state, port }: { state: PacerState; port: MessagePort } = workerData
const { words, dueMs } = state
goBeforeOthers()
// The first word says that this thread is awake; all later ones are rings.
port.postMessage(0)

while (Atomics.load(words, CLOSED) === 0) {
  const generation = Atomics.load(words, GENERATION)
  const dueAtMs = dueMs[0] ?? Infinity
  const waitMs = dueAtMs - monotonicMs()
  if (waitMs > 0 && Atomics.wait(words, GENERATION, generation, waitMs) !== 'timed-out') continue
  port.postMessage(0)
  // The sender answers with the next moment.
  Atomics.wait(words, GENERATION, generation)
}
port.close()
