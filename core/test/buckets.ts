// Seconds of a run as its senders report them, made by hand.
import { Distribution, emptyBucket, emptyScope, emptyStep, type Bucket } from '../src/index.js'

export interface Second {
  ms?: number[]
  failed?: number
  phase?: number
  endPhase?: number
  kind?: string
  latenessMs?: number
  steal?: number
  /** How long iterations took. */
  iterationMs?: number
}

/** A second of one step: its response times, and further requests that failed. */
export function bucketOf(
  number: number,
  {
    ms = [],
    failed = 0,
    phase = 0,
    endPhase = phase,
    kind = 'status',
    latenessMs = 0,
    steal = 0,
    iterationMs = 100,
  }: Second,
): Bucket {
  const bucket = { ...emptyBucket(number), latenessMs, steal }
  bucket.steps.push({
    ...emptyStep(phase, endPhase, 0, 0),
    requests: ms.length + failed,
    failed,
    responseTime: distributionOf(ms),
    failedTime: distributionOf(new Array<number>(failed).fill(1)),
  })
  // Each request is an iteration of its own.
  if (ms.length + failed > 0)
    bucket.journeys.push({
      ...emptyScope(phase, 0, 0),
      ...{ started: ms.length + failed, finished: ms.length, failed },
      ...(kind === 'local' ? { local: failed } : { byRequests: failed }),
      time: distributionOf(ms.map(() => iterationMs)),
    })
  if (failed > 0)
    bucket.failures.push({
      phase,
      step: 0,
      kind,
      detail: '503',
      count: failed,
      firstAtMs: number * 1000,
      sample: '',
      kept: '',
      rows: [],
    })
  return bucket
}
export function distributionOf(ms: number[]): Distribution {
  const distribution = new Distribution()
  for (const value of ms) distribution.record(value * 1000)
  return distribution
}
