// Bytes as base64 text (RFC 4648), for JSON.

/** Bytes as base64 (RFC 4648, section 4). */
export function base64OfBytes(bytes: Uint8Array): string {
  let binary = ''
  for (let at = 0; at < bytes.length; at += 8192) binary += String.fromCharCode(...bytes.subarray(at, at + 8192))
  return btoa(binary)
}

/**
 * The bytes of a base64 text.
 *
 * @throws DOMException for what is none
 */
export function bytesOfBase64(text: string): Uint8Array {
  return Uint8Array.from(atob(text), (char) => char.charCodeAt(0))
}
