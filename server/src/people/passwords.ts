// Passwords by scrypt (RFC 7914), and tokens by their hash alone.
import { createHash, randomBytes, randomInt, scrypt, timingSafeEqual } from 'node:crypto'

/** About 32 MB and a tenth of a second for each guess. */
const COST = { N: 2 ** 15, r: 8, p: 1, maxmem: 64 * 1024 * 1024 }
const KEY_BYTES = 32

function derive(password: string, salt: Buffer): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    scrypt(password.normalize('NFKC'), salt, KEY_BYTES, COST, (error, key) => {
      if (error === null) resolve(key)
      else reject(error)
    })
  })
}

export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16)
  return `scrypt$${salt.toString('base64')}$${(await derive(password, salt)).toString('base64')}`
}

/** Whether a password is the one of a hash; without a hash it takes as long, and is wrong. */
export async function isPassword(password: string, hash: string | null): Promise<boolean> {
  const [, salt = '', key = ''] = hash?.split('$') ?? []
  const expected = Buffer.from(key, 'base64')
  const derived = await derive(password, Buffer.from(salt, 'base64'))
  return expected.length === derived.length && timingSafeEqual(derived, expected)
}

/** A secret that is shown once; what is stored is its hash. */
export function newToken(prefix: string): { token: string; hash: string } {
  const token = `${prefix}_${randomBytes(24).toString('base64url')}`
  return { token, hash: hashToken(token) }
}

export const hashToken = (token: string): string => createHash('sha256').update(token).digest('hex')

/** A code that a person copies from one window to another: twelve characters that cannot be mistaken. */
export function newSetupCode(): string {
  const letters = 'ABCDEFGHJKMNPQRSTVWXYZ23456789'
  const drawn = Array.from({ length: 12 }, () => letters[randomInt(letters.length)] ?? '')
  return [drawn.slice(0, 4), drawn.slice(4, 8), drawn.slice(8)].map((part) => part.join('')).join('-')
}

/** Compared by their hashes, so that the time tells nothing. */
export const isSameCode = (one: string, other: string): boolean =>
  timingSafeEqual(Buffer.from(hashToken(one.toUpperCase())), Buffer.from(hashToken(other.toUpperCase())))
