// A run that could not be delivered, kept as a file to be uploaded later.
import { readFileSync, statSync, writeFileSync } from 'node:fs'
import { gunzipSync, gzipSync } from 'node:zlib'
import { RESULT } from '@jolt-gate/core'
import { REPORTED_RUN, REPORTED_SECONDS } from '@jolt-gate/core/api'
import { UsageError } from '../errors.js'
import type { Reported } from './reporter.js'

const MOST_BYTES = 512_000_000
export const KEPT_ENDING = '.run.gz'

export function keepReported(file: string, reported: Reported): void {
  writeFileSync(file, gzipSync(JSON.stringify(reported)))
}

/** Reads a kept run; what is none is refused with its reason. */
export function readReported(file: string): Reported {
  try {
    if (statSync(file).size > MOST_BYTES) throw new Error('it is too large')
    const value = JSON.parse(
      gunzipSync(readFileSync(file), { maxOutputLength: 4 * MOST_BYTES }).toString('utf8'),
    ) as Partial<Record<keyof Reported, unknown>>
    const { seconds, events } = REPORTED_SECONDS.validateSync({
      part: 'teardown',
      seconds: [],
      events: value.events,
    })
    return {
      begun: REPORTED_RUN.validateSync(value.begun),
      seconds: Array.isArray(value.seconds) ? value.seconds.map((one) => secondOf(one)) : seconds,
      events,
      result: RESULT.validateSync(value.result, { strict: true }),
    }
  } catch (error) {
    throw new UsageError(
      `${file} is no run to upload (${error instanceof Error ? error.message : String(error)}): expected NAME${KEPT_ENDING}, which "run --to --out" keeps`,
    )
  }
}

function secondOf(value: unknown): Reported['seconds'][number] {
  const [second] = REPORTED_SECONDS.validateSync({ part: 'load', seconds: [value], events: [] }).seconds
  if (second === undefined) throw new Error('a second is none')
  return second
}
