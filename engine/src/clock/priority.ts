// The threads that keep time go before others where the system lets them: a start that waits for a core is a start that
// came late. Each runs a few hundredths of a core, so others do not wait for long.
import { readdirSync, readlinkSync } from 'node:fs'
import { setPriority } from 'node:os'

const BEFORE_OTHERS = -15
/**
 * Between the threads that keep time and all else: a sender that has a core for itself would leave the threads that
 * compile its code so little of it that it runs interpreted for eight seconds instead of two.
 */
const SOON = -10

/** Raises the priority of this thread; where that is not allowed, nothing changes. */
export function goBeforeOthers(): void {
  whereAllowed(() => {
    // On Linux a thread has a number of its own, and a priority of its own.
    const thread = Number(readlinkSync('/proc/thread-self').split('/').at(-1))
    if (Number.isInteger(thread) && thread > 0) setPriority(thread, BEFORE_OTHERS)
  })
}

/**
 * Raises the threads that compile, so that what is run often is compiled soon. They bear no name of their own: all
 * threads of the process are raised but the main one, and once only, before any of them goes before others.
 */
export function compileSoon(): void {
  if (compilesSoon) return
  compilesSoon = true
  whereAllowed(() => {
    const threads = readdirSync('/proc/self/task').map(Number)
    for (const thread of threads) if (thread !== process.pid) setPriority(thread, SOON)
  })
}

let compilesSoon = false

/** Without such a file system, or the right to do it, the trust rule judges what comes of it. */
function whereAllowed(change: () => void): void {
  try {
    change()
  } catch {
    // Nothing changes.
  }
}
