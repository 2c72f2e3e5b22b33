// Time limits of open requests: one queue for each length of limit, since equal limits end in the order they began.

export interface Limited {
  limitAtMs: number
  timeOut(): void
  before: Limited | null
  after: Limited | null
}

interface Queue {
  first: Limited | null
  last: Limited | null
}

export class Deadlines {
  private readonly queues = new Map<number, Queue>()

  /** @param limitMs - the length of the limit, which chooses the queue */
  add(item: Limited, limitMs: number): void {
    let queue = this.queues.get(limitMs)
    if (queue === undefined) this.queues.set(limitMs, (queue = { first: null, last: null }))
    item.before = queue.last
    item.after = null
    if (queue.last === null) queue.first = item
    else queue.last.after = item
    queue.last = item
  }

  remove(item: Limited, limitMs: number): void {
    const queue = this.queues.get(limitMs)
    if (queue === undefined || (item.before === null && queue.first !== item)) return
    if (item.before === null) queue.first = item.after
    else item.before.after = item.after
    if (item.after === null) queue.last = item.before
    else item.after.before = item.before
    item.before = item.after = null
  }

  /** Times out all whose limit is reached. */
  run(nowMs: number): void {
    for (const queue of this.queues.values()) {
      for (let { first } = queue; first !== null && first.limitAtMs <= nowMs; first = queue.first) first.timeOut()
    }
  }

  /** When the next limit is reached. */
  nextMs(): number {
    let next = Infinity
    for (const { first } of this.queues.values()) if (first !== null && first.limitAtMs < next) next = first.limitAtMs
    return next
  }
}
