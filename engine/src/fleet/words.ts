// What a coordinator says to a generator of its fleet, and what it hears back.
import { deserialize, serialize } from 'node:v8'
import type { KeyObject } from 'node:crypto'
import { array, boolean, mixed, number, object, string } from 'yup'
import { decodeBucket, parseJson, type Bucket, type Deal } from '@jolt-gate/core'
import type { LoadOrder, LoadWord, WalkAsked } from '../coordinate/generators.js'
import type { LeaseWord } from '../coordinate/row-leases.js'
import type { RowLease } from '../generate/rows.js'
import type { SenderCounts } from '../generate/sender-protocol.js'
import { opened, sealed, signed, verified } from './sealing.js'

// ---------- words of the coordinator

/** A part of a run, to be prepared by one generator. */
export interface Order {
  /** Of the coordinator: another would make another load. */
  version: string
  /** The key of the run, sealed to the generator; and to whom its answer would be sealed. */
  key: Uint8Array
  from: string
  parcel: ParcelFacts
  share: { deal: Deal; first: number; count: number }
}

/** What is fetched in pieces. */
export interface ParcelFacts {
  sha256: string
  bytes: number
  pieces: number
}

export type Asked =
  /** That the coordinator is there. */
  | { kind: 'beat' }
  | { kind: 'walk'; id: number; asked: WalkAsked }
  | { kind: 'give up' }
  | { kind: 'prepare'; order: LoadOrder }
  /** By the generator's own clock. */
  | { kind: 'begin'; startMs: number }
  | { kind: 'say'; word: LoadWord }
  | { kind: 'rows'; sender: number; word: LeaseWord }
  | { kind: 'end within'; ms: number; why: string }
  /** Of the clock. */
  | { kind: 'clock' }
  /** All that it told has come. */
  | { kind: 'close' }

export interface Envelope {
  /** The generator, so that a word to one is no word to another. */
  to: string
  run: string
  /** The revision of the ownership of the run: a lower one is of a coordinator that has been replaced. */
  epoch: number
  /** Grows with each word of an epoch: what was heard before is not heard again. */
  count: number
  body: { order: Order } | { sealed: Uint8Array } | { meet: 'clock' }
}

/** Writes a word, signed. Words are trusted once their signature is, so they are cloned as to a thread. */
export const envelopeBytes = (envelope: Envelope, key: KeyObject): Uint8Array => signed(serialize(envelope), key)

/** Reads a word; undefined where it is not signed by the coordinator. */
export function readEnvelope(bytes: Uint8Array, key: KeyObject): Envelope | undefined {
  const body = verified(bytes, key)
  if (body === undefined) return undefined
  // eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- signed by who wrote it as an Envelope
  const envelope: Envelope = deserialize(body)
  return envelope
}

export const sealedWord = (asked: Asked, key: Uint8Array): Uint8Array => sealed(serialize(asked), key)

/** @throws Error where it was sealed with another key */
export function openedWord(bytes: Uint8Array, key: Uint8Array): Asked {
  // eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- sealed by who wrote it as Asked, and signed
  const asked: Asked = deserialize(opened(bytes, key))
  return asked
}

// ---------- replies to words, and what is told: nobody vouches for them but the key of the generator

export type Reply = { kind: 'done'; atMs: number } | { kind: 'refused'; why: string }

const MOST_WORDS = 2000
const words = () => string().required().max(MOST_WORDS)
const whole = () => number().integer().min(0).max(Number.MAX_SAFE_INTEGER).required()
const reply = object({
  kind: mixed<'done' | 'refused'>().oneOf(['done', 'refused']).required(),
  atMs: number().optional(),
  why: string().optional().max(MOST_WORDS),
})

export const replyBytes = (said: Reply): Uint8Array => Buffer.from(JSON.stringify(said))

/** @throws Error where it is no reply */
export function readReply(bytes: Uint8Array): Reply {
  const { kind, atMs = NaN, why = '' } = reply.validateSync(parseJson(Buffer.from(bytes).toString()), { strict: true })
  return kind === 'done' ? { kind, atMs } : { kind, why }
}

/** What a generator tells, in order. */
export type Told =
  | { kind: 'ready' }
  | { kind: 'bucket'; bucket: Bucket }
  | { kind: 'samples'; text: string; count: number }
  | { kind: 'fault'; detail: string }
  /** Something of it ended before its time. */
  | { kind: 'death'; detail: string }
  | { kind: 'spent'; name: string; then: 'void' | 'stop'; isClosed: boolean }
  | { kind: 'wanted'; sender: number; set: number }
  | { kind: 'back'; sender: number; set: number; leases: RowLease[] }
  | { kind: 'over'; sender: number }
  | { kind: 'made'; atMs: number }
  /** What a walk came to, sealed: it may hold secrets. */
  | { kind: 'walked'; id: number; outcome: Uint8Array }
  | { kind: 'done'; counts: SenderCounts; killed: number; lost: number }

const lease = object({ from: whole(), count: whole() })
const BODIES = {
  ready: object({}),
  samples: object({ text: string().defined().max(20_000_000), count: whole() }),
  fault: object({ detail: words() }),
  death: object({ detail: words() }),
  spent: object({
    name: words(),
    then: mixed<'void' | 'stop'>().oneOf(['void', 'stop']).required(),
    isClosed: boolean().required(),
  }),
  wanted: object({ sender: whole(), set: whole() }),
  back: object({ sender: whole(), set: whole(), leases: array().of(lease).max(10_000).required() }),
  over: object({ sender: whole() }),
  made: object({ atMs: number().required() }),
  walked: object({ id: whole(), outcome: string().required().max(20_000_000) }),
  done: object({
    counts: object({ started: whole(), ended: whole(), recorded: whole() }).required(),
    killed: whole(),
    lost: whole(),
  }),
}

/** A told thing as bytes; a bucket comes as such. */
export type Telling = Exclude<Told, { kind: 'bucket' | 'walked' }> | { kind: 'walked'; id: number; outcome: string }

/** Its kind stands in its subject. */
export const tellingBytes = (telling: Telling): Uint8Array =>
  Buffer.from(JSON.stringify({ ...telling, kind: undefined }))

/** @throws Error where it is none */
export function readTold(kind: string, bytes: Uint8Array): Told {
  if (kind === 'bucket') return { kind, bucket: decodeBucket(bytes) }
  const body = parseJson(Buffer.from(bytes).toString())
  switch (kind) {
    case 'ready':
      return { kind }
    case 'samples':
      return { kind, ...BODIES[kind].validateSync(body, { strict: true }) }
    case 'fault':
    case 'death':
      return { kind, ...BODIES[kind].validateSync(body, { strict: true }) }
    case 'spent':
      return { kind, ...BODIES[kind].validateSync(body, { strict: true }) }
    case 'wanted':
      return { kind, ...BODIES[kind].validateSync(body, { strict: true }) }
    case 'back':
      return { kind, ...BODIES[kind].validateSync(body, { strict: true }) }
    case 'over':
      return { kind, ...BODIES[kind].validateSync(body, { strict: true }) }
    case 'made':
      return { kind, ...BODIES[kind].validateSync(body, { strict: true }) }
    case 'walked': {
      const { id, outcome } = BODIES[kind].validateSync(body, { strict: true })
      return { kind, id, outcome: Buffer.from(outcome, 'base64') }
    }
    case 'done':
      return { kind, ...BODIES[kind].validateSync(body, { strict: true }) }
    default:
      throw new Error(`nothing is told as "${kind}"`)
  }
}
