// Sealing: what is on the bus is read by those alone for whom it is meant, and obeyed only from whom it may come.
import {
  createCipheriv,
  createDecipheriv,
  createPrivateKey,
  createPublicKey,
  randomBytes,
  sign,
  verify,
  type KeyObject,
} from 'node:crypto'

const [NONCE, TAG] = [12, 16]
export const KEY_BYTES = 32

export const newKey = (): Uint8Array => randomBytes(KEY_BYTES)

/** Encrypts by AES-256-GCM; the nonce and the tag stand before. */
export function sealed(bytes: Uint8Array, key: Uint8Array): Uint8Array {
  const nonce = randomBytes(NONCE)
  const cipher = createCipheriv('aes-256-gcm', key, nonce)
  const body = Buffer.concat([cipher.update(bytes), cipher.final()])
  return Buffer.concat([nonce, cipher.getAuthTag(), body])
}

/** @throws Error where it was not sealed with this key, or was changed */
export function opened(bytes: Uint8Array, key: Uint8Array): Uint8Array {
  const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const decipher = createDecipheriv('aes-256-gcm', key, buffer.subarray(0, NONCE), { authTagLength: TAG })
  decipher.setAuthTag(buffer.subarray(NONCE, NONCE + TAG))
  return Buffer.concat([decipher.update(buffer.subarray(NONCE + TAG)), decipher.final()])
}

/** Reads a private Ed25519 key, as base64 of PKCS #8. */
export const signingKey = (text: string): KeyObject =>
  createPrivateKey({ key: Buffer.from(text, 'base64'), format: 'der', type: 'pkcs8' })

/** Reads a public Ed25519 key, as base64 of SPKI. */
export const verifyingKey = (text: string): KeyObject =>
  createPublicKey({ key: Buffer.from(text, 'base64'), format: 'der', type: 'spki' })

const SIGNATURE = 64

/** The text with its Ed25519 signature before it. */
export function signed(bytes: Uint8Array, key: KeyObject): Uint8Array {
  return Buffer.concat([sign(null, bytes, key), bytes])
}

/** What was signed; undefined where it was not, or not by this key. */
export function verified(bytes: Uint8Array, key: KeyObject): Uint8Array | undefined {
  if (bytes.length < SIGNATURE) return undefined
  const body = bytes.subarray(SIGNATURE)
  return verify(null, body, key, bytes.subarray(0, SIGNATURE)) ? body : undefined
}
