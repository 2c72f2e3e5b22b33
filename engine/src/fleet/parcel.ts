// What an order is about, plan and files and secrets, on its way to a generator: sealed, and fetched piece by piece.
import { createHash } from 'node:crypto'
import { deserialize, serialize } from 'node:v8'
import { gunzip as gunzipWithCallback, gzip as gzipWithCallback } from 'node:zlib'
import { promisify } from 'node:util'
import type { Msg, NatsConnection } from '@nats-io/transport-node'
import type { ThreadData } from '../generate/sender-protocol.js'
import { opened, sealed } from './sealing.js'
import { parcelSubject } from './subjects.js'
import type { ParcelFacts } from './words.js'

const [gzip, gunzip] = [promisify(gzipWithCallback), promisify(gunzipWithCallback)]
/** Of a piece; the bus takes up to a megabyte. */
const PIECE_BYTES = 128 * 1024
/** Of the whole: what a plan may bring, and some more. */
const MOST_BYTES = 256 * 1024 * 1024
const PIECE_WITHIN_MS = 5000
const MOST_TRIES = 4

/** Packs what a run is about. */
export class Parcel {
  private constructor(
    private readonly bytes: Uint8Array,
    readonly facts: ParcelFacts,
  ) {}

  static async of(data: ThreadData, key: Uint8Array): Promise<Parcel> {
    const bytes = sealed(await gzip(serialize(data)), key)
    const facts = {
      sha256: createHash('sha256').update(bytes).digest('hex'),
      ...{ bytes: bytes.length, pieces: Math.ceil(bytes.length / PIECE_BYTES) },
    }
    return new Parcel(bytes, facts)
  }

  /** Answers a request for a piece. */
  answer(message: Msg): void {
    const asked = /^([0-9a-f]{64}) (\d{1,6})$/.exec(message.string())
    const [, sha256 = '', piece = ''] = asked ?? []
    if (sha256 !== this.facts.sha256) return
    const from = Number(piece) * PIECE_BYTES
    message.respond(this.bytes.subarray(from, from + PIECE_BYTES))
  }
}

/**
 * Fetches and opens a parcel.
 *
 * @throws Error where it is too large, another than was ordered, or does not come
 */
export async function fetchParcel(
  bus: NatsConnection,
  id: string,
  { sha256, bytes, pieces }: ParcelFacts,
  key: Uint8Array,
): Promise<ThreadData> {
  if (bytes > MOST_BYTES) throw new Error(`the plan and its files are larger than ${String(MOST_BYTES / 1048576)} MB`)
  const parts: Uint8Array[] = []
  for (let piece = 0; piece < pieces; piece++) parts.push(await fetchPiece(bus, id, `${sha256} ${String(piece)}`))
  const whole = Buffer.concat(parts)
  if (createHash('sha256').update(whole).digest('hex') !== sha256) throw new Error('the plan is not what was ordered')
  // eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- of the coordinator, who signed what it is
  const data: ThreadData = deserialize(await gunzip(opened(whole, key), { maxOutputLength: 4 * MOST_BYTES }))
  return data
}

async function fetchPiece(bus: NatsConnection, id: string, asked: string): Promise<Uint8Array> {
  for (let tried = 1; ; tried++)
    try {
      return (await bus.request(parcelSubject(id), asked, { timeout: PIECE_WITHIN_MS })).data
    } catch (error) {
      if (tried === MOST_TRIES) throw new Error('the plan did not come from the coordinator', { cause: error })
    }
}
