// Whose turn it is: what loads a target waits until nothing else does, and until this machine has room for it.
export interface Turn {
  /** Where its requests go: two loads against one would spoil each other. */
  origins: readonly string[]
  /** Resolves when it is over. */
  begin: () => Promise<void>
}

export class Turns {
  private readonly waiting: Turn[] = []
  private readonly underWay = new Set<Turn>()
  private isHeld = false

  /** @param atOnce - how many this machine makes at once */
  constructor(private readonly atOnce: number) {}

  /** Waits in the order in which it came; what is given back takes it out again, if it has not begun. */
  take(turn: Turn): () => void {
    this.waiting.push(turn)
    this.beginNext()
    return () => {
      const index = this.waiting.indexOf(turn)
      if (index >= 0) this.waiting.splice(index, 1)
    }
  }

  /** Nothing is begun from now on. */
  hold(): void {
    this.isHeld = true
  }

  release(): void {
    this.isHeld = false
    this.beginNext()
  }

  private beginNext(): void {
    while (!this.isHeld && this.underWay.size < this.atOnce) {
      const busy = new Set([...this.underWay].flatMap(({ origins }) => origins))
      const index = this.waiting.findIndex(({ origins }) => origins.every((origin) => !busy.has(origin)))
      const [next] = index < 0 ? [] : this.waiting.splice(index, 1)
      if (next === undefined) return
      this.underWay.add(next)
      void next.begin().finally(() => {
        this.underWay.delete(next)
        this.beginNext()
      })
    }
  }
}
