// An error as the log has it: what went wrong and where, but nothing that people typed. MariaDB's connector adds each
// statement with its values, and some of MariaDB's own words quote them.
import { stdSerializers } from 'pino'

const STATEMENT = /\nsql: [^]*?(?=\n {4}at |$)/g
const QUOTED = /\b(Duplicate entry|value:?) '[^]*?' for\b/g

const bare = (words: string): string => words.replaceAll(STATEMENT, '').replaceAll(QUOTED, '$1 for')

/** Serializes the field `err` of a line. */
export function errorWords(error: Error): { type: string; message: string; stack: string; code?: unknown } {
  const { type, message, stack, code } = stdSerializers.err(error)
  return { type, message: bare(message), stack: bare(stack), ...(code === undefined ? {} : { code: String(code) }) }
}
