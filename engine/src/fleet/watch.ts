// Who is in a fleet, for whoever looks at it: what each generator does, its last minute, and who came and went.
import { setTimeout as sleep } from 'node:timers/promises'
import { monotonicMs } from '../clock/clock.js'
import { offsetOf, type RoundTrip } from './clock-meeting.js'
import { Fleet } from './fleet.js'
import type { CoordinatorKey } from './keys.js'
import { LOST_AFTER_MS, RENEWED_EVERY_MS, SILENT_AFTER_MS, type Present } from './roster.js'
import { wordSubject } from './subjects.js'
import { envelopeBytes, readReply } from './words.js'

const AGAIN_AFTER_MS = 2000
const HISTORY_SECONDS = 60
/** One that is lost for so long is forgotten. */
const FORGOTTEN_AFTER_MS = 10 * 60_000
const MOST_NEWS = 50
/** Those that are heard in this time were there before. */
const QUIET_MS = 2 * RENEWED_EVERY_MS
/** Clocks are met while somebody looks. */
const LOOKED_AT_FOR_MS = 15_000
const MET_EVERY_MS = 10_000
const TRIPS = 4
const TRIP_WITHIN_MS = 1000

export interface SeenGenerator extends Omit<Present, 'seenAtMs' | 'session' | 'key'> {
  state: 'here' | 'silent' | 'lost'
  /** Since its row was last renewed. */
  silentMs: number
  /** Half of the least of some round trips; null where its clock was not met. */
  clockErrorMs: number | null
  /** Busy share of its busiest sender in each second of the last minute, the oldest first; null where it was silent. */
  busy: (number | null)[]
}

export interface GeneratorNews {
  at: Date
  generator: string
  what: 'joined' | 'left' | 'was lost' | 'came back' | 'was started anew'
  /** For how long it was silent, where it came back. */
  silentMs?: number
}

export type FleetSeen =
  | { state: 'joining' }
  /** The bus does not answer. */
  | { state: 'away'; why: string; since: Date }
  | { state: 'joined'; generators: SeenGenerator[]; news: GeneratorNews[] }

interface Kept {
  session: string
  isLost: boolean
  lastSeenAtMs: number
  busy: (number | null)[]
  clockErrorMs: number | null
}

export class FleetWatch {
  private fleet: Fleet | undefined
  private away: { why: string; since: Date } | undefined
  private readonly kept = new Map<string, Kept>()
  private readonly news: GeneratorNews[] = []
  private joinedAtMs = 0
  private lookedAtMs = -Infinity
  private metAtMs = -Infinity
  private count = 0
  private timer: NodeJS.Timeout | undefined
  private readonly closing = new AbortController()

  constructor(
    private readonly address: string,
    private readonly key: CoordinatorKey,
  ) {}

  start(): void {
    void this.join()
    this.timer = setInterval(() => {
      this.look()
    }, RENEWED_EVERY_MS).unref()
  }

  /** What is seen now. */
  seen(): FleetSeen {
    const now = monotonicMs()
    this.lookedAtMs = now
    const { fleet, away } = this
    if (away !== undefined) return { state: 'away', ...away }
    if (fleet === undefined) return { state: 'joining' }
    const generators = fleet.roster.all().map(({ seenAtMs, session, key, ...row }): SeenGenerator => {
      const kept = this.kept.get(row.id)
      const silentMs = now - seenAtMs
      const state = silentMs < SILENT_AFTER_MS ? 'here' : silentMs < LOST_AFTER_MS ? 'silent' : 'lost'
      // A session and a key are for who coordinates.
      void [session, key]
      return { ...row, state, silentMs, clockErrorMs: kept?.clockErrorMs ?? null, busy: [...(kept?.busy ?? [])] }
    })
    return { state: 'joined', generators, news: this.news.toReversed() }
  }

  async close(): Promise<void> {
    this.closing.abort()
    clearInterval(this.timer)
    await this.fleet?.close()
  }

  /** Until it is joined: the bus may be started after the server. */
  private async join(): Promise<void> {
    while (!this.isClosed()) {
      try {
        const fleet = await Fleet.join(this.address, this.key)
        if (this.isClosed()) {
          await fleet.close()
          return
        }
        this.fleet = fleet
        this.away = undefined
        this.joinedAtMs = monotonicMs()
        void this.follow(fleet)
        return
      } catch (error) {
        this.goAway(error instanceof Error ? error.message : String(error))
        await sleep(AGAIN_AFTER_MS, undefined, { signal: this.closing.signal }).catch(() => undefined)
      }
    }
  }

  private isClosed(): boolean {
    return this.closing.signal.aborted
  }

  /** Connections come back by themselves. */
  private async follow(fleet: Fleet): Promise<void> {
    for await (const { type } of fleet.bus.status()) {
      if (type === 'disconnect') this.goAway(`${this.address}: the connection is lost`)
      else if (type === 'reconnect') {
        this.away = undefined
        this.joinedAtMs = monotonicMs()
      }
    }
  }

  private goAway(why: string): void {
    this.away = { why, since: this.away?.since ?? new Date() }
  }

  /** Notes each second what changed. */
  private look(): void {
    const { fleet } = this
    if (fleet === undefined || this.away !== undefined) return
    const now = monotonicMs()
    const rows = fleet.roster.all()
    for (const row of rows) this.note(row, now)
    const there = new Set(rows.map(({ id }) => id))
    for (const [id, { isLost }] of this.kept) {
      if (there.has(id)) continue
      this.kept.delete(id)
      if (!isLost) this.tell(id, 'left')
    }
    for (const { id, seenAtMs } of rows) if (now - seenAtMs > FORGOTTEN_AFTER_MS) fleet.roster.forget(id)
    if (now - this.lookedAtMs < LOOKED_AT_FOR_MS && now - this.metAtMs > MET_EVERY_MS) {
      this.metAtMs = now
      for (const { id, seenAtMs } of rows) if (now - seenAtMs < SILENT_AFTER_MS) void this.meet(fleet, id)
    }
  }

  private note({ id, session, seenAtMs, now: making }: Present, now: number): void {
    const known = this.kept.get(id)
    const kept = known ?? { session, isLost: false, lastSeenAtMs: seenAtMs, busy: [], clockErrorMs: null }
    this.kept.set(id, kept)
    const isSilent = now - seenAtMs > SILENT_AFTER_MS
    const isLost = now - seenAtMs > LOST_AFTER_MS
    if (known === undefined && now - this.joinedAtMs > QUIET_MS) this.tell(id, 'joined')
    else if (kept.session !== session) this.tell(id, 'was started anew')
    else if (isLost && !kept.isLost) this.tell(id, 'was lost')
    else if (kept.isLost && !isLost) this.tell(id, 'came back', seenAtMs - kept.lastSeenAtMs)
    Object.assign(kept, { session, isLost, lastSeenAtMs: seenAtMs })
    kept.busy.push(isSilent ? null : (making?.busy ?? 0))
    if (kept.busy.length > HISTORY_SECONDS) kept.busy.shift()
  }

  private tell(generator: string, what: GeneratorNews['what'], silentMs?: number): void {
    this.news.push({ at: new Date(), generator, what, ...(silentMs === undefined ? {} : { silentMs }) })
    if (this.news.length > MOST_NEWS) this.news.shift()
  }

  private async meet({ bus, signs }: Fleet, to: string): Promise<void> {
    const trips: RoundTrip[] = []
    for (let trip = 0; trip < TRIPS; trip++) {
      const bytes = envelopeBytes({ to, run: '', epoch: 0, count: this.count++, body: { meet: 'clock' } }, signs)
      const sentAtMs = monotonicMs()
      try {
        const reply = readReply((await bus.request(wordSubject(to), bytes, { timeout: TRIP_WITHIN_MS })).data)
        if (reply.kind === 'done') trips.push({ sentAtMs, theirMs: reply.atMs, backAtMs: monotonicMs() })
      } catch {
        // One that does not answer has no clock that is known.
      }
    }
    const kept = this.kept.get(to)
    if (kept !== undefined) kept.clockErrorMs = offsetOf(trips)?.errorMs ?? null
  }
}
