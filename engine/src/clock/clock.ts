// One monotonic clock for all threads, in ms.

/**
 * CLOCK_MONOTONIC is the same in every thread, but slow to read; performance.now() is quick, but counts from the
 * thread's own start.
 */
const offsetMs = measureOffset()

/** The monotonic time in ms, comparable between the threads of this process. */
export function monotonicMs(): number {
  return performance.now() + offsetMs
}

function measureOffset(): number {
  let least = Infinity
  for (let attempt = 0; attempt < 20; attempt++) {
    const before = performance.now()
    const monotonic = Number(process.hrtime.bigint()) / 1e6
    // The smallest difference is the one least disturbed between the two readings.
    least = Math.min(least, monotonic - before)
  }
  return least
}
