// What a sender records where users come over networks: each network by itself, and all of them as one.
import {
  decodeBucket,
  encodeBucket,
  latenessOf,
  Recording,
  type Bucket,
  type DrawnCell,
  type OpenCell,
} from '@jolt-gate/core'
import type { TimedOperation } from '../compile/program.js'
import type { Failure } from '../walk/assessor.js'
import type { Iteration } from '../walk/iteration.js'
import type { Ended, HowEnded, OpenRequest, Sample } from '../walk/listener.js'
import type { BucketRecorder, Recorder } from './bucket-recorder.js'
import type { HealthReading } from './generator-health.js'

export class NetworkRecorder implements Recorder {
  private readonly parts: readonly BucketRecorder[]
  private closing = emptyClosing()

  /**
   * @param networks - how many there are
   * @param networkOf - whose network is which
   * @param make - makes a recorder, given who takes its buckets
   * @param send - takes each bucket of all of them, with those of each
   */
  constructor(
    networks: number,
    private readonly networkOf: (user: number) => number,
    make: (send: (bucket: Bucket) => void) => BucketRecorder,
    private readonly send: (bucket: Bucket) => void,
  ) {
    this.parts = Array.from({ length: networks }, (_, network) =>
      make((bucket) => {
        this.take(network, bucket)
      }),
    )
  }

  get recorded(): number {
    return this.parts.reduce((sum, { recorded }) => sum + recorded, 0)
  }

  begin(startMs: number): void {
    for (const part of this.parts) part.begin(startMs)
  }

  close(nowMs: number, health: HealthReading, inFlight: number, open: Iterable<OpenRequest> = []): void {
    const all = [...open]
    const most = (of: (part: BucketRecorder) => number) => Math.max(...this.parts.map(of))
    // Who is late is late for all users, whatever they come over.
    const latenessMs = latenessOf({
      ...health,
      lagMs: most((part) => part.lagMs),
      waitedMs: most((part) => part.waitedMs),
    })
    for (const [network, part] of this.parts.entries()) {
      const own = all.filter(({ iteration }) => iteration.network === network)
      part.close(nowMs, health, own.length, own, latenessMs)
    }
    const { sum, second, open: cells, drawn, networks } = this.closing
    this.closing = emptyClosing()
    this.send({ ...sum.toBucket(0), second, inFlight, latenessMs, open: cells, drawn, networks })
  }

  /** A recorder has closed a second, and needs what is in it again for the next. */
  private take(network: number, bucket: Bucket): void {
    const { closing } = this
    closing.second = bucket.second
    closing.sum.addSecond([{ ...bucket, second: 0 }])
    closing.open.push(...bucket.open)
    closing.drawn.push(...bucket.drawn)
    // What is of single requests stands in the whole.
    const failures = bucket.failures.map((cell) => ({ ...cell, sample: '', kept: '' }))
    const own = { ...bucket, failures, open: [], drawn: [], slowest: [], redirects: [], metrics: [] }
    closing.networks.push({ network, bucket: decodeBucket(encodeBucket(own)) })
  }

  // ---------- each to its own

  onArrival(phase: number, journey: number, user: number): void {
    this.of(user)?.onArrival(phase, journey)
  }
  onMissed(phase: number, user: number): void {
    this.of(user)?.onMissed(phase)
  }
  onCapped(phase: number, user: number): void {
    this.of(user)?.onCapped(phase)
  }
  onOutOfData(phase: number, user: number): void {
    this.of(user)?.onOutOfData(phase)
  }
  onStarted(iteration: Iteration, sample: Sample): void {
    this.parts[iteration.network]?.onStarted(iteration, sample)
  }
  onEnded(ended: Ended): void {
    this.parts[ended.iteration.network]?.onEnded(ended)
  }
  onStepFailed(iteration: Iteration, operation: TimedOperation, failure: Failure): void {
    this.parts[iteration.network]?.onStepFailed(iteration, operation, failure)
  }
  onGroup(iteration: Iteration, group: number, beganMs: number, timeMs: number | null): void {
    this.parts[iteration.network]?.onGroup(iteration, group, beganMs, timeMs)
  }
  onCalled(iteration: Iteration, operation: TimedOperation): void {
    this.parts[iteration.network]?.onCalled(iteration, operation)
  }
  onIterationEnded(iteration: Iteration, how: HowEnded): void {
    this.parts[iteration.network]?.onIterationEnded(iteration, how)
  }
  onLocalFault(detail: string): void {
    this.parts[0]?.onLocalFault(detail)
  }

  private of(user: number): BucketRecorder | undefined {
    return this.parts[this.networkOf(user)]
  }
}

const emptyClosing = () => ({
  sum: new Recording(),
  second: 0,
  open: [] as OpenCell[],
  drawn: [] as DrawnCell[],
  networks: [] as Bucket['networks'],
})
