// Readers of a stream that do not read: what is written to them stays in memory until they do.
import { once } from 'node:events'
import type { ServerResponse } from 'node:http'

const MOST_BYTES = 2_000_000
const READ_WITHIN_MS = 30_000

/** Closes the stream of a reader that is too far behind: a page comes back by itself, and goes on where it was. */
export function closeWhenBehind(response: ServerResponse): void {
  if (response.writableLength > MOST_BYTES) response.destroy()
}

/** Waits until a reader of much at once has read what was written so far; one that does not is closed. */
export async function untilRead(response: ServerResponse, withinMs = READ_WITHIN_MS): Promise<void> {
  if (response.writableLength <= MOST_BYTES / 2) return
  const signal = AbortSignal.timeout(withinMs)
  await Promise.race([once(response, 'drain', { signal }), once(response, 'close', { signal })]).catch(() => {
    response.destroy()
  })
}
