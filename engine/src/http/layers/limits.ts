// What is kept of a body, and how much of one is taken.
import type { Fault, Layer, Message } from '../layer.js'

/** Response bodies beyond this fail as too large. */
export const MOST_BODY_BYTES = 16_000_000
export const TOO_LARGE: Fault = { failure: 'too large', detail: `more than ${String(MOST_BODY_BYTES / 1e6)} MB` }

export const LIMITS: Layer = {
  piece(message: Message, chunk: Buffer, isLast: boolean): Fault | null {
    if (message.bytesReceived > MOST_BODY_BYTES) return TOO_LARGE
    // A failure shows the beginning of its answer, also where nothing else reads the body.
    const isRead = message.operation.needsBody || message.isCoded
    const isFirst = message.chunks.length === 0
    // What comes next is read into the same bytes: only what is all there is dealt with before.
    if (isFirst && isRead && isLast) message.chunks = [chunk]
    else if (isFirst && (isRead || message.status >= 300)) message.chunks = [Buffer.from(chunk)]
    else if (isRead) message.chunks.push(Buffer.from(chunk))
    return null
  },
}
