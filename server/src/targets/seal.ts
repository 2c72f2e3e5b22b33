// Secrets at rest: AES-256-GCM, bound to the place where they belong, so that a row moved elsewhere opens nothing.
import { createCipheriv, createDecipheriv, createHash, randomBytes } from 'node:crypto'
import { readFileSync } from 'node:fs'

export interface SealKey {
  key: Buffer
}

/** The key from a file or the environment; undefined where there is none. At least 32 characters of it are asked. */
export function sealKeyFrom(
  file: string | undefined,
  environment: Readonly<Record<string, string | undefined>>,
): SealKey | undefined {
  const text = file === undefined ? environment['JOLT_GATE_KEY'] : readFileSync(file, 'utf8')
  if (text === undefined) return undefined
  if (text.trim().length < 32)
    throw new Error('the key for secrets needs at least 32 characters: openssl rand -base64 32')
  return { key: createHash('sha256').update(text.trim()).digest() }
}

/** Seals a text for a place. */
export function seal({ key }: SealKey, place: string, text: string): string {
  const nonce = randomBytes(12)
  const cipher = createCipheriv('aes-256-gcm', key, nonce).setAAD(Buffer.from(place))
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
  return Buffer.concat([Buffer.from([1]), nonce, cipher.getAuthTag(), sealed]).toString('base64')
}

/** Opens what was sealed for that place with that key; undefined for anything else. */
export function open({ key }: SealKey, place: string, sealed: string): string | undefined {
  const bytes = Buffer.from(sealed, 'base64')
  if (bytes[0] !== 1 || bytes.length < 29) return undefined
  try {
    const decipher = createDecipheriv('aes-256-gcm', key, bytes.subarray(1, 13)).setAAD(Buffer.from(place))
    decipher.setAuthTag(bytes.subarray(13, 29))
    return Buffer.concat([decipher.update(bytes.subarray(29)), decipher.final()]).toString('utf8')
  } catch {
    return undefined
  }
}
