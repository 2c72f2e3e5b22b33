// One run under way: a generator of its own makes it; what that tells is stored, and told on to readers. When the
// generator dies, another one tears down and judges by what is known.
import { existsSync, renameSync, rmSync } from 'node:fs'
import { basename } from 'node:path'
import { base64OfBytes } from '@jolt-gate/core'
import type { LiveEvent, RunPart } from '@jolt-gate/core/api'
import {
  readJournal,
  startGenerator,
  type FleetAsked,
  type FromGenerator,
  type Generator,
  type RunOrder,
  type SetUp,
} from '@jolt-gate/engine'
import { keepTrying } from '../database/keep-trying.js'
import type { RunRow } from '../database/models.js'
import { log } from '../observability/log.js'
import { addBucket, storeResult } from './store.js'
import { Unwritten } from './unwritten.js'

export interface UnderWayOptions {
  row: RunRow
  journal: string
  order: RunOrder
  secrets: Record<string, string>
  files: ReadonlyMap<string, Uint8Array>
  /** That makes its load, where its plan names places. */
  fleet?: FleetAsked | undefined
  emit: (event: LiveEvent) => void
  /** Gives up what is still to be written; the journal stays for the next start. */
  signal: AbortSignal
}

/** How a run is ended whose generator is gone. */
export interface Closing {
  reason: string
  setup: SetUp | undefined
  tearsDown: boolean
}

export class RunUnderWay {
  /** What happened beside the seconds, for readers that come later. */
  readonly events: LiveEvent[] = []
  private generator: Generator | undefined
  private setup: SetUp | undefined
  private seconds = 0
  /** Of what stands in the journal, how much has come; the journal is of no use where it could not be written. */
  private heard = 0
  private isJournalWhole = true
  private writing: Promise<void> = Promise.resolve()
  private readonly unwritten = new Unwritten()

  constructor(private readonly options: UnderWayOptions) {}

  stop(by: string): void {
    this.generator?.stop(by)
  }

  /** Makes the run; resolves when all of it is stored. */
  async make(): Promise<void> {
    const died = await this.generate('run')
    if (died === undefined || this.catchUp()) await this.finish()
    else
      await this.close({ reason: brokenWords('its generator', died, this.seconds), setup: this.setup, tearsDown: true })
  }

  /** Ends the run without its generator. */
  async close(closing: Closing): Promise<void> {
    log.error({ run: this.options.row.id, reason: closing.reason }, 'generator lost')
    const died = await this.generate(closing)
    if (died !== undefined && !this.catchUp()) this.write('how it ended', () => this.markLost(closing.reason))
    await this.finish()
  }

  /** Takes what a generator tells, or has told according to its journal. */
  receive(message: FromGenerator): void {
    const { row } = this.options
    if (message.kind !== 'setup' && message.kind !== 'no journal') this.heard++
    switch (message.kind) {
      case 'setup':
        this.setup = message.setup
        return
      case 'state':
        if (message.state !== 'ended') this.begin(message.state)
        return
      case 'bucket':
        this.seconds = message.second + 1
        this.write(message.second, () => addBucket(row.id, message.second, message.bytes))
        this.emit({ kind: 'bucket', second: message.second, data: base64OfBytes(message.bytes) })
        return
      case 'event':
        this.emit(message.event)
        return
      case 'result':
        this.write('its result', () => storeResult(row, message.result, message.shape))
        return
      case 'no journal':
        this.isJournalWhole = false
        log.error({ run: row.id, reason: message.reason }, 'the journal of the run cannot be written')
        return
      case 'load ended':
      case 'done':
        return
      default:
        message satisfies never
    }
  }

  private begin(part: RunPart): void {
    this.write('its part', () => this.options.row.update({ part }))
    this.options.emit({ kind: 'part', part })
  }

  /** All is told: writes what is left, and forgets the journal, unless that alone knows something. */
  async finish(): Promise<void> {
    const { row, journal, signal } = this.options
    this.write('its end', () => row.update({ state: 'ended', ...this.marks() }))
    await this.writing
    if (signal.aborted) return
    if (this.unwritten.isEmpty()) rmSync(journal, { force: true })
    else if (existsSync(journal)) renameSync(journal, keptJournal(journal))
  }

  /** Takes what stands in the journal and has not come; whether the run was done by then. */
  private catchUp(): boolean {
    const written = this.isJournalWhole ? (readJournal(this.options.journal)?.events ?? []) : []
    for (const event of written.slice(this.heard)) this.receive(event)
    return written.some(({ kind }) => kind === 'done')
  }

  private async generate(what: 'run' | Closing): Promise<string | undefined> {
    const { order, secrets, files, journal, fleet } = this.options
    const common = { order, secrets, files, journal, fleet }
    this.generator = startGenerator(
      what === 'run' ? { kind: 'run', ...common } : { kind: 'close', ...common, ...what },
      (message) => {
        this.receive(message)
      },
    )
    return this.generator.ended
  }

  /** One write after another; what cannot be written, a second or a part, is named in the run. */
  private write(what: string | number, task: () => Promise<unknown>): void {
    const { signal, row } = this.options
    this.writing = this.writing
      .then(async () => {
        await keepTrying(task, signal)
      })
      .catch((error: unknown) => {
        if (signal.aborted) return
        log.error({ err: error, run: row.id, what }, 'could not be stored')
        this.unwritten.add(what)
      })
  }

  private marks(): Partial<Pick<RunRow, 'verdict' | 'reasons' | 'endedAt'>> {
    const { row } = this.options
    if (this.unwritten.isEmpty()) return {}
    const { journal } = this.options
    const kept = existsSync(journal) ? `; it is kept in ${basename(keptJournal(journal))} in the folder of runs` : ''
    const reason = `could not be stored: ${this.unwritten.words()}${kept}; see the server log`
    return {
      verdict: row.verdict === 'open' || row.verdict === null ? 'void' : row.verdict,
      reasons: [...row.reasons, reason],
      endedAt: row.endedAt ?? new Date(),
    }
  }

  private markLost(reason: string): Promise<unknown> {
    return this.options.row.update({ verdict: 'void', reasons: [reason], endedAt: new Date() })
  }

  private emit(event: LiveEvent): void {
    if (event.kind !== 'bucket') this.events.push(event)
    this.options.emit(event)
  }
}

/** Where the journal of a run goes that could not be stored whole; no later start deletes it. */
const keptJournal = (journal: string): string => journal.replace(/\.jsonl$/, '.unstored')

/** What became of a run, for the one who reads why it has no verdict. */
export function brokenWords(who: string, how: string, seconds: number): string {
  const when = seconds === 0 ? 'before its first full second' : `after ${String(seconds)} s of load`
  const hint = how.includes('SIGKILL') ? '; a system that is out of memory ends processes like this' : ''
  return `${who} ${how} ${when}${hint}: run again`
}
