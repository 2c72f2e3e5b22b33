// A pool of places of work with a bounded queue before it: the reason why response time bends upward near capacity.

export class QueueFull extends Error {
  constructor(readonly retryAfterSeconds: number) {
    super('too many are waiting')
  }
}

export interface PoolOptions {
  places: number
  /** How many may wait before the next is refused. */
  queue: number
}

export class WorkPool {
  busy = 0
  private readonly waiting: (() => void)[] = []
  private stalledUntilMs = 0

  constructor(private readonly options: PoolOptions) {}

  get queued(): number {
    return this.waiting.length
  }

  get places(): number {
    return this.options.places
  }

  /** Nothing is finished before this moment of the monotonic clock. */
  stall(forMs: number): void {
    this.stalledUntilMs = performance.now() + forMs
  }

  /**
   * Holds a place for a time, after waiting for one.
   *
   * @throws QueueFull when the queue is full
   */
  async work(forMs: number): Promise<void> {
    await this.enter()
    try {
      await sleep(forMs)
      const stalledMs = this.stalledUntilMs - performance.now()
      if (stalledMs > 0) await sleep(stalledMs)
    } finally {
      this.leave()
    }
  }

  private enter(): Promise<void> {
    if (this.busy < this.options.places) {
      this.busy++
      return Promise.resolve()
    }
    if (this.waiting.length >= this.options.queue) return Promise.reject(new QueueFull(1))
    return new Promise((resolve) => this.waiting.push(resolve))
  }

  private leave(): void {
    const next = this.waiting.shift()
    if (next === undefined) this.busy--
    else next()
  }
}

function sleep(ms: number): Promise<void> {
  return new Promise((resolve) => {
    setTimeout(resolve, ms)
  })
}
