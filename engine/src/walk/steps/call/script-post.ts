// Questions and answers between a thread that walks and the thread of its scripts, through memory that both see: who
// asks waits without turning to anything else, as a call into a script does.

const HEAD_BYTES = 8
const MOST_BYTES = 4_000_000
const [STATE, LENGTH] = [0, 1]
const [BOOTING, IDLE, ASKED, ANSWERED] = [0, 1, 2, 3]

export const newPost = (): SharedArrayBuffer => new SharedArrayBuffer(HEAD_BYTES + MOST_BYTES)

export class ScriptPost {
  private readonly head: Int32Array
  private readonly bytes: Uint8Array

  constructor(shared: SharedArrayBuffer) {
    this.head = new Int32Array(shared, 0, HEAD_BYTES / 4)
    this.bytes = new Uint8Array(shared, HEAD_BYTES)
  }

  // ---------- who asks

  /** Waits until the other side answers; false when it does not in time. */
  isThere(withinMs: number): boolean {
    return Atomics.wait(this.head, STATE, BOOTING, withinMs) !== 'timed-out'
  }

  /** Asks, and waits for the answer; undefined when none comes in time. */
  ask(text: string, withinMs: number): string | undefined {
    this.write(text, ASKED)
    return Atomics.wait(this.head, STATE, ASKED, withinMs) === 'timed-out' ? undefined : this.read()
  }

  // ---------- who answers

  open(): void {
    Atomics.store(this.head, STATE, IDLE)
    Atomics.notify(this.head, STATE)
  }

  /** Waits for the next question. */
  next(): string {
    for (;;) {
      const state = Atomics.load(this.head, STATE)
      if (state === ASKED) return this.read()
      Atomics.wait(this.head, STATE, state)
    }
  }

  answer(text: string): void {
    this.write(text, ANSWERED)
  }

  // ---------- both

  private write(text: string, state: number): void {
    const { read, written } = encoder.encodeInto(text, this.bytes)
    if (read < text.length) throw new RangeError(`more than ${String(MOST_BYTES / 1e6)} MB for or from a script`)
    Atomics.store(this.head, LENGTH, written)
    Atomics.store(this.head, STATE, state)
    Atomics.notify(this.head, STATE)
  }

  private read(): string {
    // What is shared is copied before it is decoded: it may not change while that lasts.
    return decoder.decode(this.bytes.slice(0, Atomics.load(this.head, LENGTH)))
  }
}

const encoder = new TextEncoder()
const decoder = new TextDecoder()
