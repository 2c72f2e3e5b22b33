// Small queueing systems, and a generator before them that is late: what it sees, second by second.
import { Draws, emptyBucket, emptyStep, latenessOf, longestOf, type Bucket } from '../src/index.js'

/** A request as it was due, and when its answer was there had it started at some time. */
export interface Service {
  /**
   * Ends of requests that start at these times, in ms; Infinity for one that was rejected.
   *
   * @param starts - in order
   */
  ends: (starts: readonly number[]) => number[]
}

/** First come, first served, with c servers; sizes in ms of work, by the order of coming. */
export function inOrder(sizes: readonly number[], servers: number, places = Infinity): Service {
  return {
    ends: (starts) => {
      const freeAt = new Array<number>(servers).fill(0)
      let leaving: number[] = []
      return starts.map((start, index) => {
        if (places < Infinity) leaving = leaving.filter((end) => end > start)
        if (leaving.length >= servers + places) return Infinity
        const server = firstFree(freeAt)
        const end = Math.max(start, freeAt[server] ?? 0) + (sizes[index] ?? 0)
        freeAt[server] = end
        if (places < Infinity) leaving.push(end)
        return end
      })
    },
  }
}

/** Which of some servers is free first. */
export function firstFree(freeAt: readonly number[]): number {
  let [first, least] = [0, Infinity]
  for (let server = 0; server < freeAt.length; server++) {
    const at = freeAt[server] ?? Infinity
    if (at < least) [first, least] = [server, at]
  }
  return first
}

/** Processor sharing: all that are in it are served at once, each at an equal share of the speed. */
export function shared(sizes: readonly number[]): Service {
  return {
    ends: (starts) => {
      const ends = new Array<number>(starts.length).fill(0)
      // Every request leaves when the service given to each since it came is its size.
      let given = 0
      let now = 0
      const inside: { index: number; until: number }[] = []
      const serveUntil = (time: number) => {
        while (inside.length > 0) {
          const [first] = inside
          if (first === undefined) break
          const needed = (first.until - given) * inside.length
          if (now + needed > time) break
          now += needed
          given = first.until
          ends[first.index] = now
          inside.shift()
        }
        if (inside.length > 0) given += (time - now) / inside.length
        now = time
      }
      for (const [index, start] of starts.entries()) {
        serveUntil(start)
        inside.push({ index, until: given + (sizes[index] ?? 0) })
        inside.sort((a, b) => a.until - b.until)
      }
      serveUntil(Infinity)
      return ends
    },
  }
}

/** Last come, first served, without interruption: an order that lateness changes. */
export function lastFirst(sizes: readonly number[]): Service {
  return {
    ends: (starts) => {
      const ends = new Array<number>(starts.length).fill(0)
      const waiting: number[] = []
      let freeAt = 0
      const serveUntil = (time: number) => {
        while (waiting.length > 0 && freeAt <= time) {
          const index = waiting.pop() ?? 0
          freeAt = Math.max(freeAt, starts[index] ?? 0) + (sizes[index] ?? 0)
          ends[index] = freeAt
        }
      }
      for (const [index, start] of starts.entries()) {
        serveUntil(start)
        waiting.push(index)
        if (freeAt <= start) serveUntil(start)
      }
      serveUntil(Infinity)
      return ends
    },
  }
}

/** One service after another; each takes requests in the order in which they come to it. */
export function oneAfterAnother(services: readonly Service[]): Service {
  return {
    ends: (starts) =>
      services.reduce<number[]>(
        (times, service) => {
          const order = [...times.keys()].sort((a, b) => (times[a] ?? 0) - (times[b] ?? 0))
          const ends = service.ends(order.map((index) => times[index] ?? 0))
          const byIndex = new Array<number>(times.length)
          for (const [rank, index] of order.entries()) byIndex[index] = ends[rank] ?? 0
          return byIndex
        },
        [...starts],
      ),
  }
}

/** A stretch in which the generator stands still: it starts nothing and reads nothing. */
export interface Stall {
  fromMs: number
  toMs: number
}

export function stallsIn(draws: Draws, seconds: number, count: number, longestMs: number): Stall[] {
  const stalls = Array.from({ length: count }, () => {
    const fromMs = draws.next() * 1000 * seconds
    return { fromMs, toMs: fromMs + draws.next() * longestMs }
  }).sort((a, b) => a.fromMs - b.fromMs)
  // One that begins within another lasts as long as both.
  return stalls.reduce<Stall[]>((apart, stall) => {
    const last = apart.at(-1)
    if (last === undefined || stall.fromMs > last.toMs) return [...apart, stall]
    last.toMs = Math.max(last.toMs, stall.toMs)
    return apart
  }, [])
}

/** Times at which a Poisson process of this rate comes. */
export function poisson(draws: Draws, ratePerSecond: number, seconds: number): number[] {
  const times: number[] = []
  for (let at = 0; ;) {
    at -= (1000 * Math.log(1 - draws.next())) / ratePerSecond
    if (at >= 1000 * seconds) return times
    times.push(at)
  }
}

export const exponentialSizes = (draws: Draws, meanMs: number, count: number): number[] =>
  Array.from({ length: count }, () => -meanMs * Math.log(1 - draws.next()))

/** The response times of requests that start when they are due. */
export const trueTimes = (due: readonly number[], service: Service): number[] =>
  service.ends(due).map((end, index) => end - (due[index] ?? 0))

/** What a generator with such stalls sees of a service, second by second; one that is rejected fails. */
export function seen(due: readonly number[], service: Service, stalls: readonly Stall[]): Bucket[] {
  const after = (time: number) => stalls.find(({ fromMs, toMs }) => time >= fromMs && time < toMs)?.toMs ?? time
  const starts = due.map(after)
  const ends = service.ends(starts).map((end, index) => (Number.isFinite(end) ? after(end) : (starts[index] ?? 0)))
  const refused = service.ends(starts).map((end) => !Number.isFinite(end))
  const last = Math.floor(Math.max(...ends, ...stalls.map(({ toMs }) => toMs)) / 1000)
  const buckets = Array.from({ length: last + 1 }, (_, second) => {
    const bucket = emptyBucket(second)
    bucket.steps.push(emptyStep(0, 0, 0, 0))
    return bucket
  })
  const lagMs = new Array<number>(last + 1).fill(0)
  for (const [index, dueMs] of due.entries()) {
    const [start = 0, end = 0] = [starts[index], ends[index]]
    const second = Math.floor(start / 1000)
    lagMs[second] = Math.max(lagMs[second] ?? 0, start - dueMs)
    const cell = buckets[Math.floor(end / 1000)]?.steps[0]
    if (cell === undefined) continue
    cell.requests++
    if (refused[index] === true) cell.failed++
    else cell.responseTime.record(1000 * (end - dueMs))
    for (let open = second; open < Math.floor(end / 1000); open++) {
      const bucket = buckets[open]
      if (bucket !== undefined) bucket.inFlight++
    }
  }
  for (const [second, bucket] of buckets.entries()) {
    const lengths = stalls
      .filter(({ toMs }) => Math.floor(toMs / 1000) === second)
      .map(({ fromMs, toMs }) => toMs - fromMs)
    const [stallMs = 0, secondStallMs = 0] = lengths.sort((a, b) => b - a)
    bucket.stallMs = stallMs
    const waitedMs = longestOf(bucket.steps)
    bucket.latenessMs = latenessOf({ lagMs: lagMs[second] ?? 0, stallMs, secondStallMs, waitedMs })
  }
  return buckets
}
