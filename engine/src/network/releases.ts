// What is held back until its moment comes.
import TinyQueue from 'tinyqueue'

interface Held {
  atMs: number
  /** Of two for one moment the first that was held goes first. */
  number: number
  release: () => void
}

export class Releases {
  private readonly held = new TinyQueue<Held>([], (a, b) => a.atMs - b.atMs || a.number - b.number)
  private count = 0

  /** @param ringBy - asks to be run at a moment of the monotonic clock */
  constructor(private readonly ringBy: (atMs: number) => void) {}

  /** Holds something back until a moment. */
  hold(atMs: number, release: () => void): void {
    this.held.push({ atMs, number: this.count++, release })
    this.ringBy(atMs)
  }

  /** Lets go of all whose moment has come. */
  run(nowMs: number): void {
    for (let next = this.held.peek(); next !== undefined && next.atMs <= nowMs; next = this.held.peek()) {
      this.held.pop()
      next.release()
    }
  }

  nextMs(): number {
    return this.held.peek()?.atMs ?? Infinity
  }
}
