// `calibrate`: measure what this machine can send, how late, and how exactly it times.
import { formatMs } from '@jolt-gate/core'
import { calibrate, keepCalibration } from '@jolt-gate/engine'
import { EXIT } from './errors.js'
import type { Output } from './options.js'
import { writeReport } from './reports.js'
import { tableOf } from './tables.js'

export async function calibrateMachine(options: { json?: string }, output: Output): Promise<number> {
  const calibration = await calibrate((part) => {
    if (!output.quiet) process.stderr.write(`measuring ${part}\n`)
  })
  const file = keepCalibration(calibration)
  if (options.json !== undefined) writeReport(options.json, `${JSON.stringify(calibration, null, 2)}\n`)
  if (options.json === '-' || output.quiet) return EXIT.ok
  const { startLag, requestsPerSecond, timing } = calibration
  const rows = [
    ['requests a second, one sender thread, 32 users', String(requestsPerSecond)],
    ['start lag at 1 000 arrivals/s: p50', formatMs(startLag.p50)],
    ['start lag at 1 000 arrivals/s: p99', formatMs(startLag.p99)],
    ...timing.map(({ delayMs, errorP50Ms, errorP99Ms }) => [
      `error of a response time of ${String(delayMs)} ms: p50, p99`,
      `${formatMs(errorP50Ms)}, ${formatMs(errorP99Ms)}`,
    ]),
  ]
  process.stdout.write(
    `${tableOf(['this machine', ''], rows, [1], output.color)}\nsaved to ${file}; results of this machine include it\n`,
  )
  return EXIT.ok
}
