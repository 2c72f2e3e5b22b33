// A world with a clock of its own: what is due happens in order, and no time passes in between.
import TinyQueue from 'tinyqueue'

interface Due {
  atMs: number
  order: number
  run: () => void
}

export class World {
  nowMs = 1000
  private order = 0
  private readonly due = new TinyQueue<Due>([], (one, other) => one.atMs - other.atMs || one.order - other.order)
  private readonly cancelled = new Set<number>()

  /** Lets something happen later; its number cancels it. */
  after(ms: number, run: () => void): number {
    const order = ++this.order
    this.due.push({ atMs: this.nowMs + Math.max(0, ms), order, run })
    return order
  }

  cancel(order: number): void {
    this.cancelled.add(order)
  }

  /** The next thing happens; false when nothing is left. */
  step(): boolean {
    for (let next = this.due.pop(); next !== undefined; next = this.due.pop()) {
      if (this.cancelled.delete(next.order)) continue
      this.nowMs = Math.max(this.nowMs, next.atMs)
      next.run()
      return true
    }
    return false
  }

  /** Timers of the world in place of those of the process, while something is simulated in it. */
  async live<T>(simulate: () => Promise<T>): Promise<T> {
    const own = { setTimeout, clearTimeout, setImmediate }
    const timer = (run: (...args: unknown[]) => void, ms = 0, ...args: unknown[]) => {
      const order = this.after(ms, () => {
        run(...args)
      })
      return { order, unref: () => undefined, ref: () => undefined, hasRef: () => false }
    }
    Object.assign(globalThis, {
      setTimeout: timer,
      setImmediate: (run: (...args: unknown[]) => void, ...args: unknown[]) => timer(run, 0, ...args),
      clearTimeout: (made?: { order: number }) => {
        if (made !== undefined) this.cancel(made.order)
      },
    })
    try {
      return await simulate()
    } finally {
      Object.assign(globalThis, own)
    }
  }

  /** Lets things happen until something has, or nothing more can. */
  async until(isDone: () => boolean): Promise<void> {
    while (!isDone()) {
      if (!this.step()) {
        await Promise.resolve()
        if (!isDone() && !this.step()) throw new Error('the world stands still')
      }
      await Promise.resolve()
    }
  }
}

/** The world that is simulated now. */
export const present: { world: World } = { world: new World() }
