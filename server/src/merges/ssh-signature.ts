// The signature of a commit by an SSH key, as Git makes it with gpg.format=ssh (gitformat-signature(5)), in the format
// SSHSIG of OpenSSH (PROTOCOL.sshsig, from memory): keys of Ed25519 alone.
import { createHash, createPublicKey, verify } from 'node:crypto'

const MAGIC = Buffer.from('SSHSIG')
const VERSION = 1
const NAMESPACE = 'git'
const KIND = 'ssh-ed25519'
const HASHES = ['sha256', 'sha512']

/** The parts of a text of SSH: a length of four bytes, then so many bytes, again and again. */
function partsOf(bytes: Buffer): Buffer[] | undefined {
  const parts: Buffer[] = []
  for (let place = 0; place < bytes.length;) {
    if (place + 4 > bytes.length) return undefined
    const end = place + 4 + bytes.readUInt32BE(place)
    if (end > bytes.length) return undefined
    parts.push(bytes.subarray(place + 4, end))
    place = end
  }
  return parts
}
const partOf = (bytes: Buffer): Buffer => {
  const length = Buffer.alloc(4)
  length.writeUInt32BE(bytes.length)
  return Buffer.concat([length, bytes])
}

/** A commit without its signature, and that signature's bytes; undefined where it has none of this kind. */
function signedParts(commit: string): { text: string; signature: Buffer } | undefined {
  const end = commit.indexOf('\n\n')
  if (end < 0) return undefined
  const lines = commit.slice(0, end).split('\n')
  const from = lines.findIndex((line) => line.startsWith('gpgsig '))
  if (from < 0) return undefined
  let to = from + 1
  while (lines[to]?.startsWith(' ') === true) to++
  const armored = lines
    .slice(from, to)
    .map((line) => line.replace(/^(?:gpgsig)? /, ''))
    .join('')
  const base64 = /^-----BEGIN SSH SIGNATURE-----([\w+/=]+)-----END SSH SIGNATURE-----$/.exec(armored)?.[1]
  if (base64 === undefined) return undefined
  lines.splice(from, to - from)
  return { text: lines.join('\n') + commit.slice(end), signature: Buffer.from(base64, 'base64') }
}

/** The public half of a key, as one line of an authorized_keys file holds it; undefined where it is none of Ed25519. */
export function keyIn(line: string): string | undefined {
  const [kind, base64 = ''] = line.trim().split(/\s+/)
  const [named, key] = partsOf(Buffer.from(base64, 'base64')) ?? []
  return kind === KIND && named?.toString() === KIND && key?.length === 32 ? `${KIND} ${base64}` : undefined
}

/**
 * The key that a commit is signed with, as `keyIn` gives it; undefined where it is not signed, or wrongly.
 *
 * @param commit - the object of the commit, byte for byte
 */
export function keyOfCommit(commit: string): string | undefined {
  const parts = signedParts(commit)
  if (parts === undefined || !parts.signature.subarray(0, 6).equals(MAGIC)) return undefined
  if (parts.signature.length < 10 || parts.signature.readUInt32BE(6) !== VERSION) return undefined
  const [publicKey, namespace, reserved, hash, signature] = partsOf(parts.signature.subarray(10)) ?? []
  if (publicKey === undefined || hash === undefined || signature === undefined || reserved === undefined)
    return undefined
  const [kind, key] = partsOf(publicKey) ?? []
  const [signedKind, bytes] = partsOf(signature) ?? []
  const isKnown = kind?.toString() === KIND && signedKind?.toString() === KIND && HASHES.includes(hash.toString())
  if (!isKnown || namespace?.toString() !== NAMESPACE || key?.length !== 32 || bytes === undefined) return undefined
  const digest = createHash(hash.toString()).update(parts.text).digest()
  const signed = Buffer.concat([MAGIC, ...[namespace, reserved, hash, digest].map(partOf)])
  const jwk = { kty: 'OKP', crv: 'Ed25519', x: key.toString('base64url') }
  const isRight = verify(null, signed, createPublicKey({ key: jwk, format: 'jwk' }), bytes)
  return isRight ? `${KIND} ${publicKey.toString('base64')}` : undefined
}
