// Structured lines on standard error: one JSON object a line, with the request or the run that it belongs to.
import { pino, type Logger } from 'pino'
import { errorWords } from './error-words.js'
import { LogSink } from './log-sink.js'

export type { Logger }

/** Lines go to standard error, so that what a program prints stays its own. */
export function openLog(level = process.env['JOLT_GATE_LOG'] ?? 'info', sink = new LogSink()): Logger {
  const serializers = { err: errorWords }
  return pino({ level, base: null, timestamp: pino.stdTimeFunctions.isoTime, serializers }, sink)
}

/** The log of the process; requests and runs write to children of it. */
export const log = openLog()
