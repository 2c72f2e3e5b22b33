// A connection of ours to one origin, whoever speaks on it.
import type { Method } from '@jolt-gate/core'
import type { RequestFields } from './request-head.js'

export type HttpVersion = 1 | 2

/** Moments of a connection being made, on the monotonic clock; 0 where a part did not happen. */
export interface ConnectMoments {
  beganMs: number
  resolvedMs: number
  connectedMs: number
  endedMs: number
}
export const noMoments = (): ConnectMoments => ({ beganMs: 0, resolvedMs: 0, connectedMs: 0, endedMs: 0 })

/** The head of an answer. */
export interface AnswerHead {
  readonly status: number
  /** As HTTP/1.1 writes it. */
  readonly bytes: number
  /** Whether it sets cookies, and whether its body has a content coding. */
  readonly hasCookies: boolean
  readonly hasCoding: boolean
  /** Values of a field, by its name in lower case; most answers lack what is asked for. */
  values: (name: string) => readonly string[]
  /** All fields, their names in lower case. */
  fields: () => [name: string, value: string][]
}

/** What a link tells of an answer, with the moments at which it came, on the monotonic clock. */
export interface AnswerTaker {
  onHead(head: AnswerHead, atMs: number): void
  /**
   * A piece of the body.
   *
   * @param piece - good until this returns; the last until what is done at the end returns
   * @param isLast - whether the end of the answer follows at once
   */
  onPiece(piece: Buffer, isLast: boolean): void
  onDone(atMs: number): void
}

/** A request that a link carries, and who is told what comes of it. */
export interface Carried extends AnswerTaker {
  readonly origin: string
  readonly path: string
  readonly method: Method
  readonly body: string | Uint8Array | null
  /** Whether it is still wanted: it may be given up before it goes out. */
  readonly isOpen: boolean
  /** The request begins: its connection is being made, or it goes out on one that was there. */
  onStarted(atMs: number): void
  /**
   * The connection is there.
   *
   * @param abort - gives up the request alone, where a connection carries several
   */
  onReady(abort: (() => void) | null): void
  onFault(error: unknown): void
}

/** Over HTTP/1.1 it carries one request at a time. */
export interface Link {
  readonly origin: string
  readonly http: HttpVersion
  readonly moments: ConnectMoments
  /** Requests that it carries now, and those that were answered over it. */
  carries: number
  answered: number
  /**
   * Sends a request, by the end of this turn.
   *
   * @param more - fields that are not the plan's, names and values in turn
   * @returns its bytes
   * @throws where it cannot be written so
   */
  send: (carried: Carried, fields: RequestFields, more: readonly string[]) => number
  /** Whether nothing new may go over it: it is closed, or its name leads elsewhere by now. */
  isOver: () => boolean
  destroy: () => void
}
