// The queue of runs: one at a time for a target, as many at once as the machine may make, the others wait. It is kept
// in the database, and outlives the server.
import { EventEmitter } from 'node:events'
import { mkdirSync } from 'node:fs'
import {
  filesSentBy,
  isLoopback,
  lengthOf,
  previewOf,
  shapeOf,
  type Baseline,
  type Plan,
  type Target,
  withoutRows,
} from '@jolt-gate/core'
import { lastCalibration, type FleetAsked } from '@jolt-gate/engine'
import type { LiveEvent, RunSummary } from '@jolt-gate/core/api'
import { newId, VERSION } from '@jolt-gate/core/identity'
import pLimit from 'p-limit'
import { keepTrying } from '../database/keep-trying.js'
import { RunPartsRow, RunRow } from '../database/models.js'
import { RUNS_ENDED } from '../observability/metrics.js'
import { log } from '../observability/log.js'
import { Problem } from '../http/problem.js'
import { CHANGES } from '../events/changes.js'
import type { CommitInfo } from '../projects/working-copy.js'
import { journalOf, recoverRuns } from './recover.js'
import { refuseOverBudget } from './budget.js'
import { addRun, type NewRun } from './store.js'
import { partsOf, summaryOfRun } from '../database/run-summary.js'
import { idsOfBaseline, pastBorderline } from './baselines.js'
import { Turns } from './turns.js'
import { RunUnderWay } from './under-way.js'

const MOST_WAITING = 50

export interface AskedRun {
  projectId: number
  plan: Plan
  target: Target
  /** Where the plan stands. */
  head: CommitInfo
  /** What is under test: the same, or a change elsewhere. */
  change: Pick<CommitInfo, 'commit' | 'branch'>
  /** Fingerprints of the texts that it was read from, and what of that the project has agreed on. */
  texts: Record<string, string>
  unfit: string | null
  planCommit: string | null
  secrets: Record<string, string>
  /** Bytes of a file that requests carry. */
  fileBytes: (path: string) => Uint8Array | undefined
  /** Throws when the load is not permitted: hours may end while a run waits. */
  permit: () => Promise<void>
  /** What its gates are held to, as it is known when the run begins. */
  baseline: () => Promise<Baseline | undefined>
}

/** Reads anew what a run needs, by what its row says; throws when that cannot be run. */
export type Ask = (row: RunRow) => Promise<AskedRun>

interface Waiting {
  asked: AskedRun
  row: RunRow
  /** Gives its turn up. */
  withdraw: () => void
}
/** One that is begun, or is about to be. */
interface UnderWay extends Pick<Waiting, 'asked' | 'row'> {
  run: RunUnderWay | undefined
  stoppedBy: string | undefined
  ended: Promise<void>
}

export class RunQueue {
  readonly events = new EventEmitter<Record<string, [LiveEvent]>>().setMaxListeners(0)
  private readonly waiting: Waiting[] = []
  /** One asks after the other: two at once would both take the last place of a budget. */
  private readonly asking = pLimit(1)
  private readonly underWay = new Map<string, UnderWay>()
  /** Runs take turns with whatever else loads a target. */
  readonly turns: Turns
  private resumed: Promise<void> = Promise.resolve()
  private isClosed = false
  private readonly closing = new AbortController()

  /**
   * @param folder - where journals of runs are kept, which no other user may read
   * @param atOnce - how many runs this machine makes at once, each against another target
   */
  constructor(
    private readonly folder: string,
    atOnce = 1,
    private readonly fleet?: FleetAsked,
  ) {
    this.turns = new Turns(atOnce)
    mkdirSync(folder, { recursive: true, mode: 0o700 })
  }

  /** Ends what a server of before has left, then continues its queue. */
  resume(ask: Ask): void {
    // While what a server of before left is looked at, and once this one closes, nothing is begun.
    this.turns.hold()
    this.resumed = this.continueQueue(ask)
      .catch((error: unknown) => {
        if (!this.closing.signal.aborted) log.error({ err: error }, 'the queue of before could not be continued')
      })
      .then(() => {
        if (!this.isClosed) this.turns.release()
      })
  }

  /** Puts a run in the queue. */
  ask(
    asked: AskedRun,
    startedBy: string,
    labels: Record<string, string> = {},
    more: Pick<NewRun, 'stageRunId' | 'askedAs'> = {},
  ): Promise<RunRow> {
    return this.asking(() => this.askNow(asked, { startedBy, labels, ...more }))
  }

  private async askNow(
    asked: AskedRun,
    more: Pick<NewRun, 'startedBy' | 'labels' | 'stageRunId' | 'askedAs'>,
  ): Promise<RunRow> {
    if (this.waiting.length >= MOST_WAITING)
      throw new Problem(409, 'QUEUE_FULL', `${String(MOST_WAITING)} runs are queued already; stop some first`)
    const shape = shapeOf(asked.plan, previewOf(asked.plan).phases, asked.target)
    await refuseOverBudget(asked.projectId, lengthOf(shape))
    const head = { ...asked.head, ...asked.change }
    const row = await addRun({ id: newId(), shape, ...more, ...asked, head })
    this.wait(asked, row)
    CHANGES.emit('queue')
    return row
  }

  /** Stops a run that goes or waits; false when it has ended. */
  async stop(id: string, by: string): Promise<boolean> {
    const index = this.waiting.findIndex(({ row }) => row.id === id)
    if (index >= 0) {
      const [removed] = this.waiting.splice(index, 1)
      removed?.withdraw()
      if (removed !== undefined) await endStopped(removed.row, by)
      this.emit(id, { kind: 'end' })
      return true
    }
    const current = this.underWay.get(id)
    if (current === undefined) return false
    // It may be about to begin.
    current.stoppedBy ??= by
    current.run?.stop(by)
    return true
  }

  /**
   * What happened in a run beside its seconds, for a reader that comes later; undefined when the run is neither running
   * nor queued.
   */
  eventsOf(id: string): readonly LiveEvent[] | undefined {
    const current = this.underWay.get(id)
    if (current !== undefined) return current.run?.events ?? []
    return this.waiting.some(({ row }) => row.id === id) ? [] : undefined
  }

  /** Runs that go or wait, those that go first. */
  list(isShown: (projectId: number) => boolean): RunSummary[] {
    return [...this.underWay.values(), ...this.waiting]
      .map(({ row }) => row)
      .filter(({ projectId }) => isShown(projectId))
      .map(summaryOfRun)
  }

  lengths(): { waiting: number; underWay: number } {
    return { waiting: this.waiting.length, underWay: this.underWay.size }
  }

  /** Stops what runs, and waits until its teardown is done; what waits continues with the next server. */
  async close(): Promise<void> {
    this.isClosed = true
    this.turns.hold()
    this.waiting.splice(0)
    for (const { run } of this.underWay.values()) run?.stop('the server shutting down')
    const limit = setTimeout(() => {
      this.closing.abort()
    }, SHUTDOWN_MS)
    await this.resumed
    await Promise.all([...this.underWay.values()].map(({ ended }) => ended))
    clearTimeout(limit)
    this.closing.abort()
  }

  private async continueQueue(ask: Ask): Promise<void> {
    const left = await RunRow.findAll({ where: { state: 'queued' }, order: [['askedAt', 'ASC']] })
    await recoverRuns(this.folder, this.closing.signal, (id, event) => {
      this.emit(id, event)
    })
    for (const row of left) {
      if (this.closing.signal.aborted) return
      await this.askAgain(row, ask)
    }
  }

  /** A run that waited for the server of before: it goes on waiting, unless its plan is another one by now. */
  private async askAgain(row: RunRow, ask: Ask): Promise<void> {
    try {
      const asked = await ask(row)
      const { plan } = await partsOf(row.id)
      if (JSON.stringify(plan) !== JSON.stringify(withoutRows(asked.plan)))
        throw new Problem(409, 'CHANGED', 'the plan was changed while the server was away: run it again')
      if (asked.target.origin !== row.origin)
        throw new Problem(409, 'CHANGED', 'the target was changed while the server was away: run it again')
      // The plan is the same; what it takes from other files is that of now.
      await row.update({ ...asked.head, ...asked.change, planCommit: asked.planCommit, unfit: asked.unfit })
      await RunPartsRow.update({ texts: asked.texts }, { where: { runId: row.id } })
      this.wait(asked, row)
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      await endUnbegun(row, error.message)
      this.emit(row.id, { kind: 'end' })
    }
  }

  private wait(asked: AskedRun, row: RunRow): void {
    const waiting: Waiting = { asked, row, withdraw: () => undefined }
    this.waiting.push(waiting)
    const begin = () => {
      this.waiting.splice(this.waiting.indexOf(waiting), 1)
      const current: UnderWay = { asked, row, run: undefined, stoppedBy: undefined, ended: Promise.resolve() }
      this.underWay.set(row.id, current)
      current.ended = this.make(current)
      return current.ended
    }
    waiting.withdraw = this.turns.take({ origins: originsOf(asked.target), begin })
  }

  private async make(current: UnderWay): Promise<void> {
    const { row } = current
    try {
      await this.perform(current)
    } catch (error) {
      if (!this.closing.signal.aborted) await this.markFault(row, error)
    }
    this.underWay.delete(row.id)
    // One that had not begun when the server was closed continues with the next.
    if (row.state === 'queued') return
    RUNS_ENDED.inc({ verdict: row.verdict ?? 'none' })
    this.emit(row.id, { kind: 'end' })
  }

  private async perform(current: UnderWay): Promise<void> {
    const { asked, row } = current
    const { signal } = this.closing
    const { plan, target, secrets } = asked
    let files: Map<string, Uint8Array>
    try {
      await keepTrying(asked.permit, signal)
      files = new Map(filesSentBy(plan).map((path) => [path, asked.fileBytes(path) ?? new Uint8Array()]))
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      await endUnbegun(row, error.message)
      return
    }
    if (this.isClosed) return
    const stopped = this.stopOf(current)
    if (stopped !== undefined) {
      await endStopped(row, stopped)
      return
    }
    // Written before anything is sent: a run that has begun is never begun again.
    const baseline = await keepTrying(asked.baseline, signal)
    await keepTrying(
      () =>
        row.update({
          state: 'running',
          part: 'setup',
          startedAt: new Date(),
          ...{ baselineId: baseline?.id ?? null, baselineIds: idsOfBaseline(baseline) },
        }),
      signal,
    )
    const run = new RunUnderWay({
      ...{ row, secrets, files, signal, fleet: plan.places === undefined ? undefined : this.fleet },
      journal: journalOf(this.folder, row.id),
      order: {
        plan,
        target,
        calibration: lastCalibration(),
        baseline,
        pastBorderline: await keepTrying(() => pastBorderline(row.projectId, plan.file, target.name), signal),
        identity: {
          id: row.id,
          tool: VERSION,
          labels: row.labels ?? {},
          plan: { name: plan.name, file: plan.file, ...asked.head, seed: plan.seed },
          ...(asked.change.commit === asked.head.commit ? {} : { change: asked.change }),
        },
      },
      emit: (event) => {
        this.emit(row.id, event)
      },
    })
    // It may have been asked to stop while all that was read.
    const by = this.stopOf(current)
    if (by !== undefined) {
      await endStopped(row, by)
      return
    }
    current.run = run
    await run.make()
  }

  private stopOf({ stoppedBy }: UnderWay): string | undefined {
    return stoppedBy ?? (this.isClosed ? 'the server shutting down' : undefined)
  }

  private async markFault(row: RunRow, error: unknown): Promise<void> {
    log.error({ err: error, run: row.id }, 'run failed')
    const reasons = ['internal error; see the server log']
    await keepTrying(
      () => row.update({ state: 'ended', verdict: 'void', reasons, endedAt: new Date() }),
      this.closing.signal,
    ).catch(() => undefined)
  }

  /** Tells the one who looks at a run. */
  emit(id: string, event: LiveEvent): void {
    this.events.emit(id, event)
    if (event.kind === 'part' || event.kind === 'end') CHANGES.emit('queue')
    if (event.kind === 'end') CHANGES.emit('ended', id)
  }
}

/** Where the requests to a target may go. This machine has many names, and is one place. */
export const originsOf = ({ origin: own, also }: Target): string[] =>
  [own, ...also].map((origin) => {
    const { port, protocol } = new URL(origin)
    return isLoopback(origin) ? `loopback ${port || protocol}` : origin
  })

/**
 * For the run under way to stop, drain and tear down. One that takes longer does so without the server, and the next
 * one reads its journal.
 */
const SHUTDOWN_MS = 20_000

async function endStopped(row: RunRow, by: string): Promise<void> {
  const reasons = [`stopped by ${by} before it began`]
  await row.update({ state: 'ended', verdict: 'stopped', reasons, endedAt: new Date() })
}

async function endUnbegun(row: RunRow, why: string): Promise<void> {
  await row.update({ state: 'ended', verdict: 'void', reasons: [`not begun: ${why}`], endedAt: new Date() })
}
