// What a generator has to tell of a run, kept until the bus has it: an outage, a slow link or a full stream costs time,
// and nothing else, as long as it fits.
import { setTimeout as sleep } from 'node:timers/promises'
import type { JetStreamClient } from '@nats-io/jetstream'
import { partSubject } from './subjects.js'
import { tellingBytes, type Telling } from './words.js'

const PART_BYTES = 16 * 1024
const MOST_BYTES = 64 * 1024 * 1024
/** Parts under way at once. */
const AT_ONCE = 16
const ACKNOWLEDGED_WITHIN_MS = 5000
const AGAIN_AFTER_MS = 500

interface Waiting {
  subject: string
  bytes: Uint8Array
}

export class Outbox {
  /** What did not fit, and is gone. */
  lost = 0
  private readonly queue: Waiting[] = []
  private number = 0
  private waitingBytes = 0
  private underWay = 0
  private isGivenUp = false
  private readonly waitingForAll: (() => void)[] = []

  constructor(
    private readonly stream: JetStreamClient,
    private readonly run: string,
    private readonly id: string,
  ) {}

  tell(telling: Telling): void {
    this.add(telling.kind, tellingBytes(telling))
  }

  /** A second, as its encoded bytes. */
  tellBucket(bytes: Uint8Array): void {
    this.add('bucket', bytes)
  }

  /** Resolves when the bus has all, or it is given up. */
  all(): Promise<void> {
    return new Promise((resolve) => {
      this.waitingForAll.push(resolve)
      this.settle()
    })
  }

  giveUp(): void {
    this.isGivenUp = true
    this.queue.length = 0
    this.settle()
  }

  private add(kind: string, bytes: Uint8Array): void {
    // The end is always told, with how much was lost before.
    if (this.waitingBytes + bytes.length > MOST_BYTES && kind !== 'done') {
      this.lost++
      return
    }
    const number = this.number++
    const parts = Math.max(1, Math.ceil(bytes.length / PART_BYTES))
    for (let part = 0; part < parts; part++)
      this.queue.push({
        subject: partSubject({ run: this.run, id: this.id, kind, number, part, parts }),
        bytes: bytes.subarray(part * PART_BYTES, (part + 1) * PART_BYTES),
      })
    this.waitingBytes += bytes.length
    this.pump()
  }

  private pump(): void {
    while (this.underWay < AT_ONCE) {
      const next = this.queue.shift()
      if (next === undefined) return
      this.underWay++
      void this.publish(next).finally(() => {
        this.underWay--
        this.waitingBytes -= next.bytes.length
        this.pump()
        this.settle()
      })
    }
  }

  /** Until it is acknowledged: what was sent before an outage may be there or not, and is told apart by its subject. */
  private async publish({ subject, bytes }: Waiting): Promise<void> {
    while (!this.isGivenUp)
      try {
        await this.stream.publish(subject, bytes, { timeout: ACKNOWLEDGED_WITHIN_MS, retries: 0 })
        return
      } catch {
        await sleep(AGAIN_AFTER_MS, undefined, { ref: false })
      }
  }

  private settle(): void {
    if (this.queue.length > 0 || this.underWay > 0) return
    for (const resolve of this.waitingForAll.splice(0)) resolve()
  }
}
