// What a name of HTTP may hold.

/** 1 for each character of a token (RFC 9110, section 5.6.2). */
export const TOKEN = new Uint8Array(256)
for (const char of "!#$%&'*+-.^_`|~0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz")
  TOKEN[char.charCodeAt(0)] = 1

export function isToken(name: string): boolean {
  for (let index = 0; index < name.length; index++) if (TOKEN[name.charCodeAt(index)] !== 1) return false
  return name.length > 0
}
