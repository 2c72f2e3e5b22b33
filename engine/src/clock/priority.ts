// The threads that keep time go before others where the system lets them: a start that waits for a core is a start that
// came late. Each runs a few hundredths of a core, so nobody else waits for long.
import { readlinkSync } from 'node:fs'
import { setPriority } from 'node:os'

const BEFORE_OTHERS = -15

/** Raises the priority of this thread; where that is not allowed, nothing changes. */
export function goBeforeOthers(): void {
  try {
    // On Linux a thread has a number of its own, and a priority of its own.
    const thread = Number(readlinkSync('/proc/thread-self').split('/').at(-1))
    if (Number.isInteger(thread) && thread > 0) setPriority(thread, BEFORE_OTHERS)
  } catch {
    // No such file system, or no right to do it: the trust rule judges what comes of it.
  }
}
