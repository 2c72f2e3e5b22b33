// Searches for a capacity: each waits for its turn like a run, and makes its trials one after another.
import { previewOf, unknownAnswer, type Capacity, type CapacityGoal, type Plan } from '@jolt-gate/core'
import { newId } from '@jolt-gate/core/identity'
import { findCapacity, SearchEnded, type FleetAsked, type Making } from '@jolt-gate/engine'
import { isPassing } from '../database/away.js'
import { keepTrying } from '../database/keep-trying.js'
import { CapacityRow } from '../database/models.js'
import { CHANGES } from '../events/changes.js'
import { Problem } from '../http/problem.js'
import { log } from '../observability/log.js'
import { refuseOverBudget } from '../runs/budget.js'
import { originsOf, type AskedRun, type RunQueue } from '../runs/queue.js'
import { refuseForbidden } from '../targets/permits.js'
import { TrialRun } from './trial-run.js'

const MOST_WAITING = 10
/** The latest of a project; older ones go. */
const MOST_KEPT = 200

interface Going {
  row: CapacityRow
  withdraw: () => void
  hasBegun: boolean
  trial: TrialRun | undefined
  making: (Making & { since: Date }) | undefined
  stoppedBy: string | undefined
  ended: Promise<void>
}

export class CapacitySearches {
  private readonly going = new Map<string, Going>()
  private readonly closing = new AbortController()

  /** @param folder - where journals of trials are kept while they last */
  constructor(
    private readonly queue: RunQueue,
    private readonly folder: string,
    private readonly fleet?: FleetAsked,
  ) {}

  /** Ends what a server of before has left: a search cannot go on in the middle. */
  async recover(): Promise<void> {
    for (const row of await CapacityRow.findAll({ where: { state: ['queued', 'running'] } })) {
      const when = row.state === 'queued' ? 'before it began' : 'while it lasted'
      await this.end(row, unknown(row, `capacity unknown: the server ended ${when}: search again`))
    }
  }

  /** Puts a search in the queue. */
  async ask(asked: AskedRun, goal: CapacityGoal, startedBy: string): Promise<CapacityRow> {
    if (this.going.size >= MOST_WAITING)
      throw new Problem(409, 'QUEUE_FULL', `${String(MOST_WAITING)} searches wait already; stop some first`)
    await refuseOverBudget(asked.projectId, goal.withinSeconds)
    const { plan, target, head, projectId } = asked
    const row = await CapacityRow.create({
      ...{ id: newId(), projectId, planFile: plan.file, planName: plan.name, targetName: target.name },
      ...{ commit: head.commit, branch: head.branch, dirty: head.dirty, startedBy },
      ...{ state: 'queued', goal, trials: [], capacity: null },
      ...{ askedAt: new Date(), startedAt: null, endedAt: null },
    })
    await forgetOld(projectId)
    const one: Going = {
      ...{ row, hasBegun: false, trial: undefined, making: undefined, stoppedBy: undefined },
      ...{ withdraw: () => undefined, ended: Promise.resolve() },
    }
    this.going.set(row.id, one)
    const begin = () => {
      one.hasBegun = true
      one.ended = this.make(one, asked)
      return one.ended
    }
    one.withdraw = this.queue.turns.take({ origins: originsOf(target), begin })
    this.tell(row)
    return row
  }

  /** Stops one that goes or waits; false when it has ended. */
  async stop(id: string, by: string): Promise<boolean> {
    const one = this.going.get(id)
    if (one === undefined) return false
    one.stoppedBy ??= by
    if (!one.hasBegun) {
      one.withdraw()
      this.going.delete(id)
      await this.end(one.row, unknown(one.row, `stopped by ${by} before it began`, 'stopped'))
    } else one.trial?.stop(by)
    return true
  }

  /** Those that go or wait, of projects that are shown. */
  list(isShown: (projectId: number) => boolean): CapacityRow[] {
    return [...this.going.values()].map(({ row }) => row).filter(({ projectId }) => isShown(projectId))
  }

  makingOf(id: string): Going['making'] {
    return this.going.get(id)?.making
  }

  async close(): Promise<void> {
    this.closing.abort()
    const left = [...this.going.values()]
    for (const { row } of left) await this.stop(row.id, 'the server shutting down')
    await Promise.all(left.map(({ ended }) => ended))
  }

  private async make(one: Going, asked: AskedRun): Promise<void> {
    const { row } = one
    try {
      await this.store(() => row.update({ state: 'running', startedAt: new Date() }))
      this.tell(row)
      const { exitCode, ...capacity } = await findCapacity(asked.plan, row.goal, {
        run: (plan) => this.trial(one, asked, plan),
        onBegin: (making) => {
          one.making = { ...making, since: new Date() }
          this.tell(row)
        },
        onTrial: (_, trials) => {
          void row.update({ trials: [...trials] }).catch((error: unknown) => {
            log.error({ err: error, search: row.id }, 'a trial could not be stored')
          })
        },
      })
      log.info({ search: row.id, exitCode }, 'search ended')
      await this.store(() => this.end(row, capacity))
    } catch (error) {
      log.error({ err: error, search: row.id }, 'search failed')
      const end = () => this.end(row, unknown(row, 'internal error; see the server log'))
      await this.store(end).catch(() => undefined)
    } finally {
      this.going.delete(row.id)
      this.tell(row)
    }
  }

  /** A server that ends writes once what it came to; else a database that is away is waited for. */
  private async store(task: () => Promise<unknown>): Promise<void> {
    try {
      await task()
    } catch (error) {
      if (!isPassing(error)) throw error
      await keepTrying(task, this.closing.signal)
    }
  }

  /** Each trial is permitted anew: hours may end, and a permission may be taken back, while a search lasts. */
  private async trial(one: Going, asked: AskedRun, plan: Plan) {
    refuseStopped(one)
    try {
      await refuseForbidden(asked.projectId, asked.target, previewOf(plan))
    } catch (error) {
      if (error instanceof Problem) throw new SearchEnded(3, [error.message])
      throw error
    }
    refuseStopped(one)
    one.trial = new TrialRun(asked, this.folder, this.fleet)
    return one.trial.make(plan)
  }

  private async end(row: CapacityRow, capacity: Capacity): Promise<void> {
    await row.update({ state: 'ended', capacity, trials: capacity.trials, endedAt: new Date() })
    this.tell(row)
  }

  private tell({ projectId }: CapacityRow): void {
    CHANGES.emit('project', projectId)
    CHANGES.emit('queue')
  }
}

function refuseStopped({ stoppedBy }: Going): void {
  if (stoppedBy !== undefined) throw new SearchEnded(4, [`stopped by ${stoppedBy}`])
}

function unknown({ goal, trials }: CapacityRow, words: string, verdict: 'void' | 'stopped' = 'void'): Capacity {
  const rest = { gate: null, trials, leftOut: [], gates: [], law: null, isGate: goal.kind === 'at least' }
  return { unit: goal.unit, ...unknownAnswer(words, verdict), ...rest }
}

async function forgetOld(projectId: number): Promise<void> {
  const ended = await CapacityRow.findAll({
    ...{ where: { projectId, state: 'ended' }, attributes: ['id'] },
    ...{ order: [['askedAt', 'DESC']], offset: MOST_KEPT, limit: MOST_KEPT },
  })
  if (ended.length > 0) await CapacityRow.destroy({ where: { id: ended.map(({ id }) => id) } })
}
