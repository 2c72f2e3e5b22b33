// Buckets of several senders, or generators, merged second by second and handed on in order.
import { Recording, type Bucket } from '@jolt-gate/core'

export class BucketMerger {
  private readonly pending = new Map<number, Sent[]>()
  private readonly reached: number[]
  private next = 0

  /** @param placeOf - where each stands, by its number in the shape; undefined where all is one place */
  constructor(
    senders: number,
    private readonly emit: (bucket: Bucket) => void,
    private readonly placeOf: (sender: number) => number | undefined = () => undefined,
  ) {
    this.reached = new Array<number>(senders).fill(-1)
  }

  add(sender: number, bucket: Bucket): void {
    const sent = { place: this.placeOf(sender), bucket }
    const others = this.pending.get(bucket.second)
    if (others === undefined) this.pending.set(bucket.second, [sent])
    else others.push(sent)
    this.reached[sender] = Math.max(this.reached[sender] ?? -1, bucket.second)
    this.flush()
  }

  /** This sender sends no more. */
  end(sender: number): void {
    this.reached[sender] = Infinity
    this.flush()
  }

  private flush(): void {
    // Most looks end at the first that is behind.
    while (this.pending.size > 0 && this.reached.every((second) => second >= this.next)) {
      const sent = this.pending.get(this.next)
      this.pending.delete(this.next)
      if (sent !== undefined)
        this.emit({
          ...merged(this.next, sent),
          places: placesOf(this.next, sent),
          networks: networksOf(
            this.next,
            sent.map(({ bucket }) => bucket),
          ),
        })
      this.next++
    }
  }
}

interface Sent {
  place: number | undefined
  bucket: Bucket
}

function merged(second: number, sent: readonly Sent[]): Bucket {
  const [only] = sent
  if (sent.length === 1 && only !== undefined) return only.bucket
  const sum = new Recording()
  // As its first second: rows before it would be rows of nothing.
  sum.addSecond(sent.map(({ bucket }) => ({ ...bucket, second: 0 })))
  return {
    ...sum.toBucket(0),
    second,
    open: sent.flatMap(({ bucket }) => bucket.open),
    drawn: sent.flatMap(({ bucket }) => bucket.drawn),
  }
}

/** The same second of each place, without what is of single requests: that stands in the whole. */
function placesOf(second: number, sent: readonly Sent[]): Bucket['places'] {
  const places = [...new Set(sent.flatMap(({ place }) => (place === undefined ? [] : [place])))].toSorted(
    (a, b) => a - b,
  )
  return places.map((place) => {
    const bucket = merged(
      second,
      sent.filter((one) => one.place === place),
    )
    const failures = bucket.failures.map((cell) => ({ ...cell, sample: '', kept: '' }))
    return { place, bucket: { ...bucket, ...OF_THE_WHOLE, failures } }
  })
}

/** The same second of the users of each network, as senders have told it. */
function networksOf(second: number, buckets: readonly Bucket[]): Bucket['networks'] {
  const parts = buckets.flatMap(({ networks }) => networks)
  const numbers = [...new Set(parts.map(({ network }) => network))].toSorted((a, b) => a - b)
  return numbers.map((network) => {
    const own = parts.filter((part) => part.network === network)
    return {
      network,
      bucket: merged(
        second,
        own.map(({ bucket }) => ({ place: undefined, bucket })),
      ),
    }
  })
}

const OF_THE_WHOLE = { open: [], drawn: [], slowest: [], redirects: [], metrics: [], networks: [] }
