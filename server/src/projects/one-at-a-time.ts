// Changes of a working copy, one at a time: Git locks its index, and what was looked at must still hold when it is
// written.
import pLimit, { type LimitFunction } from 'p-limit'

const queues = new Map<string, LimitFunction>()

/** Does something with a working copy while nothing else changes it. */
export function oneAtATime<T>(root: string, task: () => Promise<T>): Promise<T> {
  let queue = queues.get(root)
  if (queue === undefined) queues.set(root, (queue = pLimit(1)))
  return queue(task)
}
