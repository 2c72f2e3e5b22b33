// Stages that the server runs: each one's plans in order, up to the first that is not open. How far a stage has come is
// told by its runs alone, so that a server that was killed anywhere continues with the truth.
import pLimit from 'p-limit'
import { stageAt, type Pipeline, type Stage } from '@jolt-gate/core'
import { newId } from '@jolt-gate/core/identity'
import { Op } from 'sequelize'
import { ProjectRow, RunRow, StageRunRow } from '../database/models.js'
import { log } from '../observability/log.js'
import { Problem } from '../http/problem.js'
import { CHANGES } from '../events/changes.js'
import { WorkingCopy } from '../projects/working-copy.js'
import type { Asker } from '../runs/ask.js'
import type { RunQueue } from '../runs/queue.js'
import { tipElsewhere } from '../pushes/pushes.js'
import { changeOf, factsOf } from './facts.js'
import { pipelineOf } from './files.js'

const MOST_WAITING = 50

export interface NewStageRun {
  projectId: number
  pipeline: Pipeline
  stage: Stage
  commit: string
  branch: string | null
  cause: StageRunRow['cause']
  by: string
  /** Of a schedule. */
  dueAt?: Date
  /** Of a push to a repository elsewhere: which. */
  sourceId?: number
}

export class StageRuns {
  private readonly inTurn = pLimit(1)
  private isClosed = false
  private readonly onQueue = (): void => {
    void this.advance()
  }

  constructor(
    private readonly queue: RunQueue,
    private readonly ask: Asker,
  ) {}

  /** Continues what a server of before has left, and goes on whenever a run has ended. */
  async resume(): Promise<void> {
    CHANGES.on('queue', this.onQueue)
    await this.advance()
  }

  async close(): Promise<void> {
    this.isClosed = true
    CHANGES.off('queue', this.onQueue)
    await this.inTurn(() => Promise.resolve())
  }

  /** Begins a stage for a change; it waits until what comes before it is open. */
  async begin({ pipeline, stage, dueAt, sourceId, ...asked }: NewStageRun): Promise<StageRunRow> {
    const { projectId } = asked
    if ((await StageRunRow.count({ where: { projectId, state: 'queued' } })) >= MOST_WAITING)
      throw new Problem(409, 'QUEUE_FULL', `${String(MOST_WAITING)} stages are waiting already`)
    const row = await StageRunRow.create({
      ...asked,
      id: newId(),
      ...{ pipeline: pipeline.file, stage: stage.name, plans: stage.plans, baselineBranch: stage.baselineBranch },
      ...{ state: 'queued', verdict: null, words: '', askedAt: new Date() },
      ...{ sourceId: sourceId ?? null, dueAt: dueAt ?? null, startedAt: null, endedAt: null },
    })
    CHANGES.emit('project', projectId)
    void this.advance()
    return row
  }

  /** Takes every stage that has not ended as far as it goes now. */
  advance(): Promise<void> {
    return this.inTurn(async () => {
      if (this.isClosed) return
      const rows = await StageRunRow.findAll({ where: { state: { [Op.not]: 'ended' } }, order: [['askedAt', 'ASC']] })
      for (const row of rows)
        await this.advanceOne(row).catch(async (error: unknown) => {
          // Its file has errors now, say: it waits until that is mended.
          if (error instanceof Problem) await noteWords(row, error.message)
          else
            log.error({ err: error, stage: row.stage }, 'a stage could not go on; it is tried again with the next run')
        })
    }).catch((error: unknown) => {
      log.error({ err: error }, 'the stages could not be looked at')
    })
  }

  private async advanceOne(row: StageRunRow): Promise<void> {
    const runs = await RunRow.findAll({ where: { stageRunId: row.id }, order: [['number', 'ASC']] })
    if (runs.some(({ state }) => state !== 'ended')) return
    const failed = runs.find(({ verdict }) => verdict !== 'open')
    if (failed !== undefined) {
      const words = `run ${String(failed.number)} of ${failed.planFile}: ${failed.reasons[0] ?? failed.verdict ?? ''}`
      await end(row, failed.verdict, words)
      return
    }
    const next = row.plans[runs.length]
    if (next === undefined) await end(row, 'open', '')
    else if (runs.length > 0 || (await this.mayBegin(row))) await this.start(row, next.file, next.target)
  }

  /** Whether what comes before the stage is open at the change; where it is shut, the stage ends. */
  private async mayBegin(row: StageRunRow): Promise<boolean> {
    const { own, pipeline, stage } = await this.stageNow(row)
    if (stage === undefined) {
      await end(row, null, `not begun: ${row.pipeline} has no stage "${row.stage}" any more`)
      return false
    }
    const tip =
      row.sourceId === null
        ? (await own.commits.tips()).find(({ branch }) => branch === row.branch)?.commit
        : await tipElsewhere(row.sourceId, row.branch)
    if (row.branch !== null && tip !== row.commit) {
      await end(row, null, goneWords(row, tip))
      return false
    }
    const before = pipeline.stages.find(({ name }) => name === stage.after)
    if (before === undefined) return true
    const facts = await factsOf(row.projectId, own, pipeline, [row.commit])
    const { state, approval } = stageAt(before, await changeOf(own, row.commit), facts.runs, facts.approvals)
    if (state === 'open' || approval !== null) return true
    if (state === 'shut' || state === 'void' || state === 'stopped')
      await end(row, null, `not begun: ${before.name} is ${state}`)
    else await noteWords(row, `waits for ${before.name}`)
    return false
  }

  private async stageNow(
    row: StageRunRow,
  ): Promise<{ own: WorkingCopy; pipeline: Pipeline; stage: Stage | undefined }> {
    const project = await ProjectRow.findByPk(row.projectId, { rejectOnEmpty: true })
    const own = await WorkingCopy.open(project.path)
    const pipeline = await pipelineOf(own, row.pipeline)
    return { own, pipeline, stage: pipeline.stages.find(({ name }) => name === row.stage) }
  }

  private async start(row: StageRunRow, plan: string, target: string): Promise<void> {
    try {
      const asked = await this.ask(String(row.projectId), plan, target, row.branch ?? undefined, row.id)
      const { commit } = asked.change
      if (commit !== row.commit) {
        await end(row, null, goneWords(row, commit))
        return
      }
      await asked.permit()
      await this.queue.ask(asked, row.by, {}, { stageRunId: row.id })
      await row.update({ state: 'running', words: '', startedAt: row.startedAt ?? new Date() })
      CHANGES.emit('project', row.projectId)
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      if (error.code === 'QUEUE_FULL' || error.code === 'BUDGET') await noteWords(row, error.message)
      else await end(row, 'void', `not begun: ${error.message}`)
    }
  }
}

/** A stage runs what a branch stands at: of a change that others came after, the runs would be those of the others. */
const goneWords = ({ branch }: StageRunRow, commit: string | null | undefined): string =>
  `not begun: ${branch ?? 'the branch'} has gone on to ${commit?.slice(0, 7) ?? 'no commit'}`

async function noteWords(row: StageRunRow, words: string): Promise<void> {
  if (row.words === words) return
  await row.update({ words: words.slice(0, 1000) })
  CHANGES.emit('project', row.projectId)
}

async function end(row: StageRunRow, verdict: StageRunRow['verdict'], words: string): Promise<void> {
  await row.update({ state: 'ended', verdict, words: words.slice(0, 1000), endedAt: new Date() })
  CHANGES.emit('project', row.projectId)
  // Another stage may wait for this one.
  CHANGES.emit('queue')
}
