// The line to one generator in one run: words in order, each again until it is answered, and its clock.
import type { KeyObject } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import type { NatsConnection } from '@nats-io/transport-node'
import { monotonicMs } from '../clock/clock.js'
import { MetClock, type RoundTrip } from './clock-meeting.js'
import { wordSubject } from './subjects.js'
import { envelopeBytes, readReply, sealedWord, type Asked, type Envelope, type Order, type Reply } from './words.js'

const ANSWERED_WITHIN_MS = 2000
/** One that is there and answers nothing for so long is not to be relied on; a bus may be away for less. */
const MUTE_AFTER_MS = 15_000
const AGAIN_AFTER_MS = 200
/** An order is answered when the plan has come, and control of the target is proven. */
const ORDER_ANSWERED_WITHIN_MS = 60_000
const TRIPS = { first: 32, later: 8 }

export interface LineOptions {
  bus: NatsConnection
  signs: KeyObject
  run: string
  epoch: number
  key: Uint8Array
  /** A generator leaves words without an answer, or answers what is none. */
  onFailed: (id: string, why: string, isBelieved: boolean) => void
}

export class Line {
  readonly clock = new MetClock()
  private count = 0
  private last: Promise<unknown> = Promise.resolve()
  private isClosed = false

  constructor(
    readonly id: string,
    private readonly options: LineOptions,
  ) {}

  /** Gives the order; why it is refused, or undefined. */
  async order(order: Order): Promise<string | undefined> {
    const reply = await this.queued({ order }, ORDER_ANSWERED_WITHIN_MS)
    return reply === undefined ? 'it does not answer' : reply.kind === 'refused' ? reply.why : undefined
  }

  /** Says something; resolves when it is answered, or the line is closed. */
  say(asked: Asked): Promise<Reply | undefined> {
    return this.queued({ sealed: sealedWord(asked, this.options.key) }, ANSWERED_WITHIN_MS)
  }

  /** Meets its clock; each round trip waits for no other word than those before. */
  async meet(): Promise<void> {
    const trips: RoundTrip[] = []
    const wanted = this.clock.errorMs === null ? TRIPS.first : TRIPS.later
    for (let trip = 0; trip < wanted && !this.isClosed; trip++) {
      let sentAtMs = monotonicMs()
      const reply = await this.queued(
        { sealed: sealedWord({ kind: 'clock' }, this.options.key) },
        ANSWERED_WITHIN_MS,
        () => {
          sentAtMs = monotonicMs()
        },
      )
      if (reply?.kind !== 'done' || !Number.isFinite(reply.atMs)) return
      trips.push({ sentAtMs, theirMs: reply.atMs, backAtMs: monotonicMs() })
    }
    this.clock.meet(trips)
  }

  close(): void {
    this.isClosed = true
  }

  private queued(body: Envelope['body'], withinMs: number, onSent?: () => void): Promise<Reply | undefined> {
    const next = this.last.then(() => this.ask(body, withinMs, onSent))
    this.last = next
    return next
  }

  /** The same word again, by its number, until it is answered: it may have been heard, and the answer lost. */
  private async ask(
    body: Envelope['body'],
    withinMs: number,
    onSent: () => void = () => undefined,
  ): Promise<Reply | undefined> {
    const { bus, signs, run, epoch } = this.options
    const bytes = envelopeBytes({ to: this.id, run, epoch, count: this.count++, body }, signs)
    const untilMs = monotonicMs() + Math.max(withinMs, MUTE_AFTER_MS)
    while (!this.isClosed && !bus.isClosed()) {
      onSent()
      const answer = await bus.request(wordSubject(this.id), bytes, { timeout: withinMs }).catch(() => undefined)
      if (answer !== undefined) return this.readOrFail(answer.data)
      // Whether it is there, its row tells.
      await sleep(AGAIN_AFTER_MS)
      if (monotonicMs() > untilMs) this.fail('it does not answer')
    }
    return undefined
  }

  private readOrFail(bytes: Uint8Array): Reply | undefined {
    try {
      return readReply(bytes)
    } catch {
      this.fail('what it answers cannot be read', false)
      return undefined
    }
  }

  private fail(why: string, isBelieved = true): void {
    if (this.isClosed) return
    this.close()
    this.options.onFailed(this.id, why, isBelieved)
  }
}
