// The queue of runs: one at a time, the others wait.
import { EventEmitter } from 'node:events'
import { base64OfBytes, encodeBucket, previewOf, shapeOf, type Plan, type RunEvent, type Target } from '@jolt-gate/core'
import { lastCalibration, startRun, type RunHandle, type RunState } from '@jolt-gate/engine'
import type { LiveEvent, RunSummary } from '@jolt-gate/core/api'
import { newId, VERSION } from '@jolt-gate/core/identity'
import { RunRow } from '../database/models.js'
import { log } from '../http/log.js'
import { Problem } from '../http/problems.js'
import type { CommitInfo } from '../projects/working-copy.js'
import { addBucket, addRun, storeResult, summaryOfRun } from './store.js'

const MOST_WAITING = 50

export interface AskedRun {
  projectId: number
  plan: Plan
  target: Target
  head: CommitInfo
  secrets: Record<string, string>
  /** Bytes of a file that requests carry. */
  fileBytes: (path: string) => Uint8Array | undefined
  /** Throws when the load is not permitted: hours may end while a run waits. */
  permit: () => Promise<void>
}

interface Waiting {
  asked: AskedRun
  row: RunRow
}

export class RunQueue {
  readonly events = new EventEmitter<Record<string, [LiveEvent]>>().setMaxListeners(0)
  private readonly waiting: Waiting[] = []
  private current: { row: RunRow; handle: RunHandle | undefined; told: LiveEvent[] } | undefined
  private idle: Promise<void> = Promise.resolve()

  /** Puts a run in the queue. */
  async ask(asked: AskedRun): Promise<RunRow> {
    if (this.waiting.length >= MOST_WAITING)
      throw new Problem(409, 'QUEUE_FULL', `${String(MOST_WAITING)} runs are queued already; stop some first`)
    const shape = shapeOf(asked.plan, previewOf(asked.plan).phases, asked.target.metrics)
    const row = await addRun({ id: newId(), shape, ...asked })
    this.waiting.push({ asked, row })
    if (this.current === undefined) this.idle = this.work()
    return row
  }

  /** Stops a run that goes or waits; false when it has ended. */
  async stop(id: string, by: string): Promise<boolean> {
    const index = this.waiting.findIndex(({ row }) => row.id === id)
    if (index >= 0) {
      const [removed] = this.waiting.splice(index, 1)
      await removed?.row.update({
        state: 'ended',
        verdict: 'stopped',
        reasons: [`stopped by ${by} before it began`],
        endedAt: new Date(),
      })
      this.tell(id, { kind: 'end' })
      return true
    }
    if (this.current?.row.id !== id) return false
    this.current.handle?.stop(by)
    return true
  }

  /**
   * What happened in a run beside its seconds, for a reader that comes later; undefined when the run is neither running
   * nor queued.
   */
  eventsOf(id: string): readonly LiveEvent[] | undefined {
    if (this.current?.row.id === id) return this.current.told
    return this.waiting.some(({ row }) => row.id === id) ? [] : undefined
  }

  /** Runs that go or wait, the one that goes first. */
  list(): RunSummary[] {
    return [...(this.current === undefined ? [] : [this.current.row]), ...this.waiting.map(({ row }) => row)].map(
      summaryOfRun,
    )
  }

  /** Stops everything, and waits until teardown is done. */
  async close(): Promise<void> {
    for (const { row } of [...this.waiting]) await this.stop(row.id, 'the server shutting down')
    this.current?.handle?.stop('the server shutting down')
    await this.idle
  }

  private async work(): Promise<void> {
    for (let next = this.waiting.shift(); next !== undefined; next = this.waiting.shift()) {
      this.current = { row: next.row, handle: undefined, told: [] }
      try {
        await this.perform(next)
      } catch (error) {
        log.error({ err: error, run: next.row.id }, 'run failed')
        await next.row
          .update({
            state: 'ended',
            verdict: 'void',
            reasons: ['internal error; see the server log'],
            endedAt: new Date(),
          })
          .catch(() => undefined)
      }
      this.current = undefined
      this.tell(next.row.id, { kind: 'end' })
    }
  }

  private async perform({ asked, row }: Waiting): Promise<void> {
    try {
      await asked.permit()
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      const reasons = [`not begun: ${error.message}`]
      await row.update({ state: 'ended', verdict: 'void', reasons, endedAt: new Date() })
      return
    }
    await row.update({ startedAt: new Date() })
    let writing: Promise<unknown> = Promise.resolve()
    const write = (task: () => Promise<unknown>) => {
      writing = writing.then(task)
    }
    const handle = startRun({
      plan: asked.plan,
      target: asked.target,
      secrets: asked.secrets,
      fileBytes: asked.fileBytes,
      calibration: lastCalibration(),
      identity: {
        id: row.id,
        tool: VERSION,
        plan: { name: asked.plan.name, file: asked.plan.file, ...asked.head, seed: asked.plan.seed },
      },
      onState: (state: RunState) => {
        if (state === 'ended') return
        write(() => row.update({ state }))
        this.tell(row.id, { kind: 'state', state })
      },
      onEvent: (event: RunEvent) => {
        if (event.kind === 'end') return
        if (event.kind !== 'bucket') {
          this.tell(row.id, event)
          return
        }
        const { bucket } = event
        write(() => addBucket(row.id, bucket))
        this.tell(row.id, { kind: 'bucket', second: bucket.second, data: base64OfBytes(encodeBucket(bucket)) })
      },
      onResult: (result) => {
        // Only now is it known how long the phases were.
        write(() => storeResult(row, result, handle.view.shape))
      },
    })
    if (this.current !== undefined) this.current.handle = handle
    await handle.done
    write(() => row.update({ state: 'ended' }))
    await writing
  }

  private tell(id: string, event: LiveEvent): void {
    if (event.kind !== 'bucket' && event.kind !== 'end') this.current?.told.push(event)
    this.events.emit(id, event)
  }
}

/** Runs that a server left behind when it ended without warning. */
export async function closeAbandoned(): Promise<void> {
  await RunRow.update(
    { verdict: 'void', endedAt: new Date() },
    { where: { state: ['waiting', 'setup', 'load', 'teardown'], verdict: null } },
  )
  await RunRow.update({ state: 'ended' }, { where: { state: ['waiting', 'setup', 'load', 'teardown'] } })
}
