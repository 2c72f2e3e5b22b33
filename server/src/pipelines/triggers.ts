// What begins stages without a person: branches that moved, and schedules whose time has come. Both are told from what
// the database knows of last time, so that nothing is lost while the server is away, and nothing comes twice.
import pLimit from 'p-limit'
import { nextTime, type Pipeline, type Stage } from '@jolt-gate/core'
import { Op } from 'sequelize'
import { BranchTipRow, ProjectRow, PushRow, PushSourceRow, ScheduleRow, StageRunRow } from '../database/models.js'
import { log } from '../observability/log.js'
import { CHANGES } from '../events/changes.js'
import { WorkingCopy } from '../projects/working-copy.js'
import { pipelinesOf } from './files.js'
import type { StageRuns } from './stage-runs.js'

const LOOK_EVERY_MS = 20_000
const SETTLED_MS = 300
/** A schedule that begins so much later than it was due says so. */
const LATE_MS = 90_000
/** Times of a schedule that were missed: more of them are not counted out. */
const MOST_MISSED = 10_000

export class Triggers {
  private readonly inTurn = pLimit(1)
  private readonly timer: NodeJS.Timeout
  private readonly faulty = new Set<number>()
  private readonly soon = new Map<number, NodeJS.Timeout>()
  private readonly onProject = (project: number): void => {
    clearTimeout(this.soon.get(project))
    this.soon.set(
      project,
      setTimeout(() => void this.look(project), SETTLED_MS),
    )
  }

  constructor(private readonly stages: StageRuns) {
    CHANGES.on('project', this.onProject)
    this.timer = setInterval(() => void this.look(), LOOK_EVERY_MS)
  }

  async close(): Promise<void> {
    CHANGES.off('project', this.onProject)
    clearInterval(this.timer)
    for (const timer of this.soon.values()) clearTimeout(timer)
    await this.inTurn(() => Promise.resolve())
  }

  /** Looks at one project, or at all. */
  look(project?: number, nowMs = Date.now()): Promise<void> {
    return this.inTurn(async () => {
      const rows = await ProjectRow.findAll(project === undefined ? {} : { where: { id: project } })
      for (const { id, path } of rows)
        await this.lookAt(id, path, nowMs).then(
          () => this.faulty.delete(id),
          (error: unknown) => {
            this.noteFault(id, error)
          },
        )
      // A branch that has gone on, or consent in writing, may end what a stage waits for.
      await this.stages.advance()
    }).catch((error: unknown) => {
      log.error({ err: error }, 'pushes and schedules could not be looked at')
    })
  }

  /** Told once, until it goes well again: a folder that is gone is looked at every few seconds. */
  private noteFault(project: number, error: unknown): void {
    if (this.faulty.has(project)) return
    this.faulty.add(project)
    log.error({ err: error, project }, 'pushes and schedules of the project cannot be looked at')
  }

  private async lookAt(projectId: number, path: string, nowMs: number): Promise<void> {
    const own = await WorkingCopy.open(path)
    const moved = await movedBranches(projectId, own)
    const pipelines = (await pipelinesOf(own)).filter(({ hasErrors }) => !hasErrors).map(({ pipeline }) => pipeline)
    for (const tip of moved) await this.beginPushed(projectId, pipelines, tip, `push to ${tip.branch}`)
    for (const push of await PushRow.findAll({ where: { projectId, isBegun: false }, order: [['id', 'ASC']] })) {
      const source = await PushSourceRow.findByPk(push.sourceId)
      const by = `push to ${push.branch} of ${source?.repository ?? 'a repository elsewhere'}`
      await this.beginPushed(projectId, pipelines, push, by)
      await push.update({ isBegun: true })
    }
    await this.followSchedules(projectId, own, pipelines, nowMs)
    // Only now: had the server been killed before, the branches would have moved again.
    await keepTips(projectId, moved)
  }

  private async beginPushed(
    projectId: number,
    pipelines: readonly Pipeline[],
    { branch, commit, sourceId }: Tip,
    by: string,
  ): Promise<void> {
    for (const [pipeline, stage] of stagesOf(pipelines)) {
      if (stage.begins.kind !== 'push' || (stage.begins.branch ?? branch) !== branch) continue
      const where = { projectId, pipeline: pipeline.file, stage: stage.name, commit, branch, cause: 'push' }
      // It was begun already, and the server was killed before it could keep where the branch stands.
      if ((await StageRunRow.count({ where })) > 0) continue
      const of = sourceId === undefined ? {} : { sourceId }
      await this.stages.begin({
        ...of,
        projectId,
        pipeline,
        stage,
        commit,
        branch,
        cause: 'push',
        by: by.slice(0, 200),
      })
    }
  }

  private async followSchedules(
    projectId: number,
    own: WorkingCopy,
    pipelines: readonly Pipeline[],
    nowMs: number,
  ): Promise<void> {
    for (const [pipeline, stage] of stagesOf(pipelines)) {
      if (stage.begins.kind !== 'schedule') continue
      const { cron, zone } = stage.begins
      const of = { projectId, pipeline: pipeline.file, stage: stage.name }
      const [row, isNew] = await ScheduleRow.findOrCreate({
        where: of,
        defaults: { ...of, cron, zone, lastDueAt: new Date(nowMs), isPaused: false },
      })
      // A page that shows schedules has read them before this one was found.
      if (isNew) {
        CHANGES.emit('project', projectId)
        continue
      }
      if (row.cron !== cron || row.zone !== zone) {
        await row.update({ cron, zone, lastDueAt: new Date(nowMs) })
        continue
      }
      const due = lastDue(row, nowMs)
      if (due === undefined) continue
      await this.beginScheduled(row, { own, pipeline, stage }, due, nowMs)
      await row.update({ lastDueAt: new Date(due.atMs) })
    }
  }

  private async beginScheduled(
    { projectId, isPaused }: ScheduleRow,
    { own, pipeline, stage }: { own: WorkingCopy; pipeline: Pipeline; stage: Stage },
    { atMs, count }: Due,
    nowMs: number,
  ): Promise<void> {
    const where = { projectId, pipeline: pipeline.file, stage: stage.name }
    const dueAt = new Date(atMs)
    // It was begun already, and the server was killed before it could write that down.
    if (isPaused || (await StageRunRow.count({ where: { ...where, dueAt } })) > 0) return
    const goes = await StageRunRow.count({ where: { ...where, cause: 'schedule', state: { [Op.not]: 'ended' } } })
    const { commit, branch } = await own.head()
    if (goes > 0 || commit === null) return
    const late = nowMs - atMs > LATE_MS ? `, late: due at ${dueAt.toISOString().slice(0, 16)}Z` : ''
    const missed = count > 1 ? `, ${String(count - 1)} missed before` : ''
    const by = `schedule of ${stage.name}${late}${missed}`.slice(0, 200)
    await this.stages.begin({ ...{ projectId, pipeline, stage, commit, branch, dueAt, by }, cause: 'schedule' })
  }
}

interface Due {
  atMs: number
  /** How many times have come since it was looked at last. */
  count: number
}

/** The latest time of a schedule that has come; undefined where none has. */
function lastDue({ cron, zone, lastDueAt }: ScheduleRow, nowMs: number): Due | undefined {
  let due: Due | undefined
  for (let count = 1; count <= MOST_MISSED; count++) {
    const next = nextTime({ cron, zone }, due?.atMs ?? lastDueAt.getTime())
    if (next === undefined || next > nowMs) break
    due = { atMs: next, count }
  }
  return due
}

function* stagesOf(pipelines: readonly Pipeline[]): Generator<[Pipeline, Stage]> {
  for (const pipeline of pipelines) for (const stage of pipeline.stages) yield [pipeline, stage]
}

interface Tip {
  branch: string
  commit: string
  /** Of a repository elsewhere. */
  sourceId?: number
}

/** Branches that stand elsewhere than when they were looked at last; of a project that is new, none. */
async function movedBranches(projectId: number, own: WorkingCopy): Promise<Tip[]> {
  const tips = await own.commits.tips()
  const known = new Map((await BranchTipRow.findAll({ where: { projectId } })).map((row) => [row.branch, row.commit]))
  if (known.size === 0) {
    await keepTips(projectId, tips)
    return []
  }
  return tips.filter(({ branch, commit }) => known.get(branch) !== commit)
}

async function keepTips(projectId: number, tips: readonly Tip[]): Promise<void> {
  for (const { branch, commit } of tips) await BranchTipRow.upsert({ projectId, branch, commit })
}
