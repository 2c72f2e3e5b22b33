// One event, sent once: signed as Standard Webhooks says, to where it may go, bounded in time and in what is read.
import { GUARDED, refusalOf } from '@jolt-gate/engine'
import { isLoopback } from '@jolt-gate/core'
import { VERSION } from '@jolt-gate/core/identity'
import type { Webhook } from 'standardwebhooks'
import { request } from 'undici'
import { Problem } from '../http/problem.js'

const WITHIN_MS = 15_000
const MOST_ANSWER = 200
const MOST_WAIT_MS = 24 * 3_600_000

export interface Answered {
  /** 0 where there was none. */
  status: number
  words: string
  /** What the address asks to wait (RFC 9110, section 10.2.3). */
  waitMs: number
}
export const NO_ANSWER = { status: 0, waitMs: 0 }

/** Posts a CloudEvent in its structured mode; redirects are not followed. */
export async function postEvent(
  url: string,
  { id, body }: { id: string; body: string },
  signer: Webhook,
  gone: AbortSignal,
): Promise<Answered> {
  const at = new Date()
  try {
    const response = await request(url, {
      method: 'POST',
      dispatcher: GUARDED,
      body,
      headers: {
        'content-type': 'application/cloudevents+json; charset=utf-8',
        'user-agent': `jolt-gate/${VERSION}`,
        'webhook-id': id,
        'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
        'webhook-signature': signer.sign(id, at, body),
      },
      signal: AbortSignal.any([gone, AbortSignal.timeout(WITHIN_MS)]),
    })
    const seconds = Number(response.headers['retry-after'] ?? 0)
    const said = await beginningOf(response.body)
    return {
      status: response.statusCode,
      words: `${String(response.statusCode)} ${said}`.trim(),
      waitMs: Number.isFinite(seconds) ? Math.min(seconds * 1000, MOST_WAIT_MS) : 0,
    }
  } catch (error) {
    const isLate = error instanceof Error && error.name === 'TimeoutError'
    const words = isLate ? `no answer within ${String(WITHIN_MS / 1000)} s` : String(error)
    return { ...NO_ANSWER, words }
  }
}

/** What an answer begins with; the rest is not waited for. */
async function beginningOf(body: AsyncIterable<unknown> & { destroy(): void }): Promise<string> {
  let text = ''
  for await (const chunk of body) {
    text += Buffer.isBuffer(chunk) ? chunk.toString('utf8') : ''
    if (text.length >= MOST_ANSWER) break
  }
  body.destroy()
  return text.replaceAll(/\s+/g, ' ').trim().slice(0, MOST_ANSWER)
}

/** Refuses an address that nothing may be sent to; what its name leads to is asked again at each sending. */
export function refuseAddress(url: string): void {
  if (!URL.canParse(url)) throw new Problem(400, 'BAD_FIELD', `"${url}" is not a URL`)
  const parsed = new URL(url)
  const refused = refusalOf(parsed)
  if (refused !== undefined) throw new Problem(403, 'NOT_PERMITTED', refused)
  if (parsed.username !== '' || parsed.password !== '')
    throw new Problem(400, 'BAD_FIELD', 'leave user and password out of the URL: each delivery is signed')
  if (parsed.protocol !== 'https:' && !isLoopback(url))
    throw new Problem(400, 'BAD_FIELD', 'beyond this machine events are sent over https:// alone')
}
