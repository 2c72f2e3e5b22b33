// The layers of an exchange: each looks after one concern, and all have one interface. They have no state of their own:
// what they know is in the message, so that a request costs one object, however many layers it passes.
import type { FailureKind, Method } from '@jolt-gate/core'
import type { SendOperation } from '../compile/program.js'
import type { Cookies } from './cookies.js'
import type { AnswerHead } from './links/link.js'
import type { RequestFields } from './links/request-head.js'

/** Why a message fails, in the words of the plan format. */
export interface Fault {
  failure: FailureKind
  detail: string
}

/** A request that was answered by a redirect. */
export interface Hop {
  method: Method
  url: string
  status: number
}

/** A request and its answer, as layers see them. */
export interface Message {
  readonly operation: SendOperation
  readonly origin: string
  readonly path: string
  method: Method
  /** As the plan gives them. */
  fields: RequestFields
  body: string | Uint8Array | null
  readonly status: number
  /** Bytes of the body as they came. */
  readonly bytesReceived: number
  /** Whether the body has a content coding. */
  isCoded: boolean
  /** What came of the body, where something reads it. */
  chunks: Buffer[]
  /** Bytes of the body, decoded. */
  bytes: Buffer
  redirectsLeft: number
  hops: readonly Hop[]

  /** A field of the answer, several of one name joined; undefined when there is none. */
  header(name: string): string | undefined
  /** The Set-Cookie fields of the answer. */
  setCookies(): readonly string[]
  /** The cookies of the user, or null while there are none. */
  cookies(): Cookies | null
  storeCookies(fields: readonly string[]): void
  /** Points the message at another URL; false when its origin is not permitted. */
  aim(url: string): boolean
}

export interface Layer {
  /** Before the request goes out: the fields that the layer adds. */
  fields?(message: Message): string[]
  /** The head of an answer is there. */
  head?(message: Message, head: AnswerHead): void
  /** A piece of the body is there; gives a fault to end it. */
  piece?(message: Message, chunk: Buffer, isLast: boolean): Fault | null
  /** All is there, and the moment is noted: `again` sends the message once more, where it points now. */
  end?(message: Message): Fault | 'again' | null
}
