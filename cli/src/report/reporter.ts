// Reports a run to a server while it lasts. Whatever becomes of that, the run and its verdict do not change: what
// cannot be delivered is kept, to be uploaded later.
import { createHash } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import {
  base64OfBytes,
  encodeBucket,
  type RunEvent,
  type RunResult,
  type RunShape,
  type RunTurn,
} from '@jolt-gate/core'
import { ROUTES, RUN_PARTS, signedWords, type ReportedRun, type ReportedSeconds } from '@jolt-gate/core/api'
import { Refused, type Server } from './server.js'

/** All that is reported of a run. */
export interface Reported {
  begun: ReportedRun
  seconds: ReportedSeconds['seconds']
  events: RunTurn[]
  result: RunResult | undefined
}

const MOST_AT_ONCE = 200
const MOST_BYTES_AT_ONCE = 6_000_000
const [FIRST_WAIT_MS, LONGEST_WAIT_MS] = [500, 20_000]
const LOOK_EVERY_MS = 500
/** After the end of a run: a pipeline does not wait for longer. */
const LAST_WORDS_MS = 10_000

export const shapeFingerprint = (shape: RunShape): string =>
  createHash('sha256').update(JSON.stringify(shape)).digest('hex')

export class Reporter {
  readonly reported: Reported
  private part: ReportedSeconds['part'] = 'setup'
  private project: number | undefined
  private sent = 0
  private sentPart = ''
  private sentEvents = -1
  private isDelivered = false
  private isOver = false
  /** Why nothing more is tried, or what kept the last try from going well. */
  private trouble: string | undefined
  private readonly pumping: Promise<void>

  constructor(
    private readonly server: Server,
    begun: ReportedRun,
    known: Partial<Reported> = {},
    /** Told how many of its seconds are delivered. */
    private readonly onSent: (seconds: number) => void = () => undefined,
  ) {
    this.reported = { seconds: [], events: [], result: undefined, ...known, begun }
    this.pumping = this.pump()
  }

  add(event: RunEvent): void {
    if (event.kind === 'bucket')
      this.reported.seconds.push({ second: event.bucket.second, data: base64OfBytes(encodeBucket(event.bucket)) })
    else if (event.kind !== 'end') this.reported.events.push(event)
  }

  at(state: string): void {
    this.part = RUN_PARTS.find((part) => part === state) ?? this.part
  }

  /** Delivers the rest; what kept it from being delivered, in words. */
  async finish(result: RunResult | undefined, withinMs = LAST_WORDS_MS): Promise<string | undefined> {
    this.reported.result = result ?? this.reported.result
    const limit = new AbortController()
    await Promise.race([this.pumping, sleep(withinMs, undefined, { signal: limit.signal }).catch(() => undefined)])
    limit.abort()
    this.isOver = true
    return this.isDelivered ? undefined : (this.trouble ?? `${this.server.origin} is too slow`)
  }

  private async pump(): Promise<void> {
    let waitMs = FIRST_WAIT_MS
    while (!this.isDelivered && !this.isOver) {
      try {
        const didSomething = await this.step()
        waitMs = FIRST_WAIT_MS
        this.trouble = undefined
        if (!didSomething) await sleep(LOOK_EVERY_MS, undefined, { ref: false })
      } catch (error) {
        this.trouble = error instanceof Error ? error.message : String(error)
        if (error instanceof Refused && error.code === 'INCOMPLETE') this.sent = 0
        else if (error instanceof Refused) return
        await sleep(waitMs, undefined, { ref: false })
        waitMs = Math.min(LONGEST_WAIT_MS, 2 * waitMs)
      }
    }
  }

  /** The next thing that is to be told; false where there is none. */
  private async step(): Promise<boolean> {
    const { begun, seconds, events, result } = this.reported
    const run = begun.id
    if (this.project === undefined) {
      const project = await this.server.projectId()
      await this.server.ask(ROUTES.reportRun, { project }, { body: begun })
      this.project = project
      return true
    }
    const isNews = this.sent < seconds.length || this.sentPart !== this.part || this.sentEvents !== events.length
    if (isNews) {
      const batch = this.nextSeconds()
      const told: ReportedSeconds = { part: this.part, seconds: batch, events: [...events] }
      await this.server.ask(ROUTES.reportSeconds, { run }, { body: told })
      this.sent += batch.length
      this.sentPart = told.part
      this.sentEvents = told.events.length
      this.onSent(this.sent)
      return true
    }
    if (result === undefined) return false
    await this.server.ask(
      ROUTES.reportResult,
      { run },
      { body: { result, seconds: seconds.length, events }, signed: signedWords(run) },
    )
    this.isDelivered = true
    return true
  }

  private nextSeconds(): Reported['seconds'] {
    let bytes = 0
    const batch: Reported['seconds'] = []
    for (const one of this.reported.seconds.slice(this.sent, this.sent + MOST_AT_ONCE)) {
      bytes += one.data.length
      if (batch.length > 0 && bytes > MOST_BYTES_AT_ONCE) break
      batch.push(one)
    }
    return batch
  }
}
