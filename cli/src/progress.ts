// Progress: drawn in place on a terminal, one plain line every ten seconds in a pipeline.
import type { Bucket, RunShape } from '@jolt-gate/core'
import { formatMs, phaseRanges, pool, Recording } from '@jolt-gate/core'
import type { RunState } from '@jolt-gate/engine'
import { clock } from './preview.js'

const EVERY_SECONDS = 10

export interface Progress {
  onState(state: RunState): void
  onBucket(bucket: Bucket): void
  end(): void
}

/** Progress on standard error, so that a report on standard output stays clean. */
export function progressOf(shape: () => RunShape, quiet: boolean): Progress {
  const inPlace = process.stderr.isTTY
  let recent = new Recording()
  let hasLine = false
  const show = (text: string) => {
    if (quiet) return
    if (inPlace) process.stderr.write(`\r\x1b[2K${text}`)
    else process.stderr.write(`${text}\n`)
    hasLine = inPlace
  }
  return {
    onState(state) {
      if (state === 'setup' || state === 'teardown') show(state)
    },
    onBucket(bucket) {
      recent.add(bucket)
      if (!inPlace && (bucket.second + 1) % EVERY_SECONDS !== 0) return
      show(lineOf(recent, bucket, shape(), inPlace ? 1 : EVERY_SECONDS))
      recent = new Recording()
    },
    end() {
      if (hasLine) process.stderr.write('\r\x1b[2K')
    },
  }
}

function lineOf(recent: Recording, bucket: Bucket, shape: RunShape, seconds: number): string {
  const rows = recent.seconds.filter((row) => row.requests > 0)
  const requests = rows.reduce((sum, row) => sum + row.requests, 0)
  const failed = rows.reduce((sum, row) => sum + row.failed, 0)
  const times = pool(rows.map((row) => row.responseTime))
  const ranges = phaseRanges(shape)
  const totalMs = Math.max(0, ...ranges.map(({ toMs }) => toMs))
  const phase = shape.phases[ranges.findIndex((range) => bucket.second * 1000 < range.toMs)]?.name ?? 'drain'
  // Iterations end by themselves: how long they take is unknown.
  const isKnown = shape.phases.every(({ kind }) => kind !== 'iterations')
  const length = isKnown ? ` of ${clock(totalMs / 1000)}` : ''
  return `${clock(bucket.second + 1)}${length}  ${phase}  ${String(Math.round(requests / seconds))} requests/s  ${String(failed)} failed  p95 ${times.count === 0 ? '–' : formatMs(times.percentile(95) / 1000)}  ${String(bucket.users)} users`
}
