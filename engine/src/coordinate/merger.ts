// Buckets of several senders, merged second by second and handed on in order.
import { Recording, type Bucket } from '@jolt-gate/core'

export class BucketMerger {
  private readonly pending = new Map<number, Bucket[]>()
  private readonly reached: number[]
  private next = 0

  constructor(
    senders: number,
    private readonly emit: (bucket: Bucket) => void,
  ) {
    this.reached = new Array<number>(senders).fill(-1)
  }

  add(sender: number, bucket: Bucket): void {
    const others = this.pending.get(bucket.second)
    if (others === undefined) this.pending.set(bucket.second, [bucket])
    else others.push(bucket)
    this.reached[sender] = bucket.second
    this.flush()
  }

  /** This sender sends no more. */
  end(sender: number): void {
    this.reached[sender] = Infinity
    this.flush()
  }

  private flush(): void {
    const upTo = Math.min(...this.reached)
    const last = upTo === Infinity ? Math.max(-1, ...this.pending.keys()) : upTo
    for (; this.next <= last; this.next++) {
      const buckets = this.pending.get(this.next)
      this.pending.delete(this.next)
      const [only] = buckets ?? []
      if (buckets === undefined || only === undefined) continue
      if (buckets.length === 1) {
        this.emit(only)
        continue
      }
      const merged = new Recording()
      for (const bucket of buckets) merged.add(bucket)
      this.emit({
        ...merged.toBucket(this.next),
        open: buckets.flatMap(({ open }) => open),
        drawn: buckets.flatMap(({ drawn }) => drawn),
      })
    }
  }
}
