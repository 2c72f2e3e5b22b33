// Runs that the command makes elsewhere and reports. What comes again changes nothing; what breaks off is marked so.
import type { RunTurn } from '@jolt-gate/core'
import type { BodyOf, LiveEvent, ROUTES } from '@jolt-gate/core/api'
import { Op } from 'sequelize'
import { BucketRow, RunRow } from '../database/models.js'
import { log } from '../observability/log.js'
import { Problem } from '../http/problem.js'
import { addBucket, addRun, bucketsAfter, storeResult } from '../runs/store.js'
import { partsOf } from '../database/run-summary.js'
import { baselineMadeOf, idsInResult, idsOfBaseline } from '../runs/baselines.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { reportedFitness } from './fitness.js'
import { SecondsQuota } from './quota.js'
import type { Reader } from './reader.js'
import type { ReadRun, ReadSeconds } from './reading.js'

const BROKEN_OFF_MS = 120_000
const LOOK_EVERY_MS = 20_000

export class ReportedRuns {
  /** What happened in live ones beside their seconds. */
  private readonly events = new Map<string, RunTurn[]>()
  private readonly timer: NodeJS.Timeout
  private readonly quota = new SecondsQuota()

  constructor(
    readonly reader: Reader,
    private readonly emit: (id: string, event: LiveEvent) => void,
  ) {
    this.timer = setInterval(() => {
      this.endBrokenOff().catch((error: unknown) => {
        log.error({ err: error }, 'runs that broke off could not be looked for')
      })
    }, LOOK_EVERY_MS)
  }

  close(): void {
    clearInterval(this.timer)
  }

  /** What happened in a live one beside its seconds; undefined when it is none. */
  async eventsOf(id: string): Promise<readonly LiveEvent[] | undefined> {
    const row = await RunRow.findByPk(id, { attributes: ['state', 'reported'] })
    if (row?.reported == null || row.state === 'ended') return undefined
    return this.events.get(id) ?? []
  }

  /** A run begins; the same again changes nothing, and other content under a known id is refused. */
  async begin(projectId: number, own: WorkingCopy, by: string, read: ReadRun): Promise<RunRow> {
    const { id, reported, said, change, plan, target, shape, texts, labels } = read
    const known = await RunRow.findByPk(id)
    if (known !== null) {
      if (known.projectId === projectId && known.reported === reported) return known
      throw new Problem(409, 'KNOWN', `another run already has the id ${id}`)
    }
    const { commit, branch } = change
    // A plan with other values is as little the committed one as a plan with changes: it becomes no baseline by rule.
    const dirty = said.dirty || Object.keys(said.set).length > 0
    const { unfit, basis } = await reportedFitness(own, read)
    const row = await addRun({
      ...{ planCommit: basis ?? said.commit, texts: { ...texts }, unfit },
      ...{ id, projectId, plan, target, shape, startedBy: by },
      head: { commit, branch, dirty },
      labels: { ...labels },
    })
    await row.update({
      state: 'running',
      part: 'setup',
      reported,
      heardAt: new Date(),
      startedAt: momentOf(read.startedAt),
    })
    return row
  }

  /** What happened since; returns how many seconds are known. */
  async seconds(row: RunRow, person: number, { part, seconds, events }: ReadSeconds): Promise<number> {
    this.refuseOthers(row)
    // The same again, of a run that was uploaded: nothing more is taken.
    if (row.state === 'ended' && (await partsOf(row.id)).result !== null)
      return BucketRow.count({ where: { runId: row.id } })
    this.quota.spend(person, seconds.length)
    for (const { second, data, bytes } of seconds) {
      await addBucket(row.id, second, bytes)
      this.emit(row.id, { kind: 'bucket', second, data })
    }
    const before = this.events.get(row.id) ?? []
    for (const event of events.slice(before.length)) this.emit(row.id, event)
    if (events.length > before.length) this.events.set(row.id, events)
    if (row.part !== part || row.state !== 'running') this.emit(row.id, { kind: 'part', part })
    // One that was taken for broken off is there again.
    await row.update({ state: 'running', part, heardAt: new Date(), verdict: null, reasons: [], endedAt: null })
    return BucketRow.count({ where: { runId: row.id } })
  }

  /**
   * It has ended: judged again by its seconds. The same again changes nothing.
   *
   * @param signedBy - the runner whose key has signed it
   */
  async result(
    row: RunRow,
    { result, ...sent }: BodyOf<typeof ROUTES.reportResult>,
    signedBy: string | null,
  ): Promise<RunRow> {
    this.refuseOthers(row)
    if (result.id !== row.id) throw new Problem(400, 'BAD_FIELD', `this is the result of run ${result.id}`)
    const parts = await partsOf(row.id)
    if (row.state === 'ended' && parts.result !== null) {
      if (parts.result.endedAt === result.endedAt) return row
      throw new Problem(409, 'KNOWN', 'the run has another result already')
    }
    const stored = await bucketsAfter(row.id, -1)
    if (stored.length < sent.seconds)
      throw new Problem(
        409,
        'INCOMPLETE',
        `${String(stored.length)} of ${String(sent.seconds)} seconds are known: report all of them again`,
      )
    const heldTo = await baselineMadeOf(row.projectId, idsInResult(result))
    const judged = await this.reader.read('judge', result, {
      ...{ plan: parts.plan, shape: parts.shape, events: sent.events },
      seconds: stored.map(({ data }) => data),
      baseline: heldTo,
    })
    await storeResult(row, judged.result, judged.shape)
    await row.update({
      ...{ state: 'ended', heardAt: new Date(), signedBy },
      ...{ baselineId: heldTo?.id ?? null, baselineIds: idsOfBaseline(heldTo) },
    })
    this.end(row.id)
    return row
  }

  private end(id: string): void {
    this.events.delete(id)
    this.emit(id, { kind: 'end' })
  }

  private refuseOthers({ reported }: RunRow): void {
    if (reported == null) throw new Problem(409, 'NOT_REPORTED', 'this run is made by the server itself')
  }

  /** Ends runs of which nothing has been heard; a command that comes back later may still hand the result in. */
  async endBrokenOff(now = Date.now()): Promise<void> {
    const rows = await RunRow.findAll({
      where: {
        reported: { [Op.not]: null },
        state: { [Op.not]: 'ended' },
        heardAt: { [Op.lt]: new Date(now - BROKEN_OFF_MS) },
      },
    })
    for (const row of rows) {
      const reasons = ['broke off: nothing more was reported of it; its seconds until then are kept']
      await row.update({ state: 'ended', verdict: 'void', reasons, endedAt: new Date() })
      this.end(row.id)
    }
  }
}

function momentOf(text: string): Date {
  const moment = new Date(text)
  return Number.isNaN(moment.getTime()) ? new Date() : moment
}
