// How many bytes a request and the head of an answer take on a connection, as HTTP/1.1 writes them (RFC 9112), without
// TLS. HTTP/2 packs heads, and is counted as if it did not.

const ORIGIN_BEGINS = 'https://'.length

/** Bytes of a request; names and values of its headers in turn. */
export function requestBytes(
  method: string,
  origin: string,
  path: string,
  headers: readonly string[],
  body: string | Uint8Array | null,
): number {
  const host = origin.length - (origin.startsWith('https:') ? ORIGIN_BEGINS : ORIGIN_BEGINS - 1)
  // `METHOD path HTTP/1.1`, `host: …`, `connection: keep-alive`, and the empty line.
  let bytes = method.length + path.length + 12 + (host + 8) + 24 + 2
  for (let index = 0; index + 1 < headers.length; index += 2)
    bytes += (headers[index]?.length ?? 0) + (headers[index + 1]?.length ?? 0) + 4
  const length = body === null ? 0 : Buffer.byteLength(body)
  // `content-length: …` stands where there is a body, or where one is expected.
  if (length > 0 || method === 'POST' || method === 'PUT' || method === 'PATCH')
    bytes += 18 + String(length).length + length
  return bytes
}

/** Bytes of the head of an answer; names and values of its headers in turn. */
export function headBytes(reason: string, headers: readonly Buffer[]): number {
  // `HTTP/1.1 200 …`, and the empty line.
  let bytes = 13 + reason.length + 2 + 2
  for (let index = 0; index + 1 < headers.length; index += 2)
    bytes += (headers[index]?.length ?? 0) + (headers[index + 1]?.length ?? 0) + 4
  return bytes
}
