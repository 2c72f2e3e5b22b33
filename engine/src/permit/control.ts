// Proof that those who permit a load control the target: a token served by it under a well-known address (RFC 8615).
import { createHash } from 'node:crypto'
import { originsToPermit, permissionText, type Target } from '@jolt-gate/core'
import { request } from 'undici'
import { GUARDED } from '../network/way-out.js'

export const WELL_KNOWN = '/.well-known/jolt-gate'
const WITHIN_MS = 5000
const MOST_BYTES = 16_384

export interface ControlNeeded {
  origin: string
  /** Where the token must be served. */
  url: string
  token: string
}
export type ControlFound = ControlNeeded & ({ isProven: true } | { isProven: false; why: string })

/**
 * The tokens that a target's origins must serve.
 *
 * A token follows from the origin and the words of the permission: a permission that is widened needs a new one, which
 * only who controls the origin can put there.
 */
export function controlNeeded(target: Target): ControlNeeded[] {
  const { permission } = target
  if (permission === undefined) return []
  return originsToPermit(target).map((origin) => ({
    origin,
    url: origin + WELL_KNOWN,
    token: createHash('sha256').update(permissionText(origin, permission)).digest('hex').slice(0, 40),
  }))
}

/** Asks each origin for its token. */
export function proveControl(needed: readonly ControlNeeded[]): Promise<ControlFound[]> {
  return Promise.all(
    needed.map(async (one): Promise<ControlFound> => {
      const why = await whyNot(one)
      return why === undefined ? { ...one, isProven: true } : { ...one, isProven: false, why }
    }),
  )
}

async function whyNot({ url, token }: ControlNeeded): Promise<string | undefined> {
  try {
    const { statusCode, body } = await request(url, {
      dispatcher: GUARDED,
      method: 'GET',
      signal: AbortSignal.timeout(WITHIN_MS),
      headers: { accept: 'text/plain' },
    })
    let text = ''
    for await (const chunk of body) {
      text += String(chunk)
      if (text.length > MOST_BYTES) return `${url} answers with more than 16 kB`
    }
    if (statusCode !== 200) return `${url} answers ${String(statusCode)}`
    const lines = text.split(/\s+/)
    return lines.includes(token) ? undefined : `${url} does not contain the token ${token}`
  } catch (error) {
    return `${url} does not answer: ${error instanceof Error ? error.message : String(error)}`
  }
}
