// Structured lines on standard error: one JSON object a line, with the request or the run that it belongs to.
import { pino, type Logger } from 'pino'

export type { Logger }

/** Where lines go: standard error, so that what a program prints stays its own. */
export function openLog(level = process.env['JOLT_GATE_LOG'] ?? 'info'): Logger {
  return pino({ level, base: null, timestamp: pino.stdTimeFunctions.isoTime }, pino.destination({ fd: 2, sync: true }))
}

/** The log of the process; requests and runs write to children of it. */
export const log = openLog()
