// What the host did with the processors while a test ran, as the kernel counts it: nothing of our engine is asked.
import { readFileSync } from 'node:fs'

/** Ticks of the kernel's clock are hundredths of a second (USER_HZ of proc(5)). */
const TICK_MS = 10
/** Of one processor's time, and two ticks at least: less may be rounding. A quiet machine loses about 1 %. */
const MOST_SHARE_STOLEN = 0.02
const MOST_STOLEN_MS = 20
/** What a desk of other programs takes of one processor before timers are late. */
const MOST_SHARE_OF_OTHERS = 0.1

interface Count {
  stolenMs: number
  busyMs: number
  ownMs: number
  atMs: number
}

/** Watches the host from now on. */
export class HostWatch {
  private readonly before = countNow()

  /**
   * Whether the host gave so much of the processors to others, another machine or another program, that lateness is
   * its doing.
   */
  wasBusy({ ownIsCounted = true } = {}): boolean {
    const { before } = this
    const now = countNow()
    const lastedMs = now.atMs - before.atMs
    if (now.stolenMs - before.stolenMs >= Math.max(MOST_STOLEN_MS, MOST_SHARE_STOLEN * lastedMs)) return true
    // The work of a child of the test is no work of others.
    if (!ownIsCounted) return false
    const othersMs = now.busyMs - before.busyMs - (now.ownMs - before.ownMs)
    return othersMs > MOST_SHARE_OF_OTHERS * lastedMs
  }
}

function countNow(): Count {
  const [, user = 0, nice = 0, system = 0, , , irq = 0, softIrq = 0, stolen = 0] = readFileSync('/proc/stat', 'utf8')
    .slice(0, 400)
    .split('\n', 1)
    .join('')
    .split(/\s+/)
    .map(Number)
  const own = process.cpuUsage()
  return {
    stolenMs: stolen * TICK_MS,
    busyMs: (user + nice + system + irq + softIrq) * TICK_MS,
    ownMs: (own.user + own.system) / 1000,
    atMs: performance.now(),
  }
}
