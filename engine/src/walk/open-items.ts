// What is open now, such as requests in flight, where thousands come and go in a second.

/** Has its place among those that are open; −1 when it is not. */
export interface Placed {
  openAt: number
}

/**
 * A list from which each item is taken at its own place. A `Set` that items pass through at such a pace lays out new
 * tables all the time, and each old one leads to the next: the collector then takes all that was ever in them for alive
 * until it looks at everything.
 */
export class OpenItems<T extends Placed> {
  private readonly items: T[] = []

  get size(): number {
    return this.items.length
  }

  add(item: T): void {
    item.openAt = this.items.length
    this.items.push(item)
  }

  has({ openAt }: T): boolean {
    return openAt >= 0
  }

  /** @returns whether it was open */
  delete(item: T): boolean {
    const { openAt } = item
    if (openAt < 0) return false
    item.openAt = -1
    const last = this.items.pop()
    if (last === undefined || last === item) return true
    this.items[openAt] = last
    last.openAt = openAt
    return true
  }

  /** Takes all of them out. */
  takeAll(): T[] {
    const all = this.items.splice(0)
    for (const item of all) item.openAt = -1
    return all
  }

  [Symbol.iterator](): IterableIterator<T> {
    return this.items.values()
  }
}
