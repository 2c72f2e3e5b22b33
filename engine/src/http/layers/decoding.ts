// The content coding of a body, taken off (RFC 9110, section 8.4), whether anything reads it or not: a body that cannot
// be decoded is none. The end of the answer is noted before: this is our work, not the target's.
import { brotliDecompressSync, gunzipSync, inflateRawSync, inflateSync } from 'node:zlib'
import type { Fault, Layer, Message } from '../layer.js'
import type { AnswerHead } from '../links/link.js'
import { MOST_BODY_BYTES, TOO_LARGE } from './limits.js'

const NO_BYTES = Buffer.alloc(0)
const BOUNDED = { maxOutputLength: MOST_BODY_BYTES }

export const DECODING: Layer = {
  head(message: Message, head: AnswerHead): void {
    message.isCoded = head.hasCoding && message.header('content-encoding')?.toLowerCase() !== 'identity'
  },
  end(message: Message): Fault | null {
    const { chunks } = message
    const [only] = chunks
    message.bytes = only === undefined ? NO_BYTES : chunks.length === 1 ? only : Buffer.concat(chunks)
    if (only === undefined || !message.isCoded) return null
    const coding = message.header('content-encoding')?.toLowerCase() ?? ''
    try {
      // Codings are listed in the order in which they were put on.
      for (const one of coding.split(',').reverse()) message.bytes = without(one.trim(), message.bytes)
      return null
    } catch (error) {
      if (error instanceof RangeError) return TOO_LARGE
      const detail = error instanceof TypeError ? error.message : `the body is not ${coding}`
      return { failure: 'decoding', detail }
    }
  },
}

function without(coding: string, bytes: Buffer): Buffer {
  if (coding === 'gzip' || coding === 'x-gzip') return gunzipSync(bytes, BOUNDED)
  if (coding === 'br') return brotliDecompressSync(bytes, BOUNDED)
  if (coding === 'deflate') return inflated(bytes)
  if (coding === 'identity') return bytes
  throw new TypeError(`the content coding ${coding} is not supported`)
}

/** With the head of zlib as the standard says, or without it as some servers do (RFC 9110, section 8.4.1.2). */
function inflated(bytes: Buffer): Buffer {
  try {
    return inflateSync(bytes, BOUNDED)
  } catch (error) {
    if (error instanceof RangeError) throw error
    return inflateRawSync(bytes, BOUNDED)
  }
}
