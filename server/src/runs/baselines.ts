// The run that a plan's next run against a target is held to: kept by a person, or the last that was open.
import { baselineFault, baselineFrom, loadFingerprint, type Baseline, type Plan, type Target } from '@jolt-gate/core'
import type { BaselineLine } from '@jolt-gate/core/api'
import { literal, Op } from 'sequelize'
import { BaselineRow, GateRow, RunPartsRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { summaryOfRun } from '../database/run-summary.js'

export interface BaselineOf {
  projectId: number
  plan: string
  target: string
  /** The branch of the run that is to be held to it. */
  branch: string | null
  /** The branch that the project's files stand on: where a branch has no baseline, this one's is taken. */
  defaultBranch: string | null
}

interface Found {
  row: RunRow
  kept: BaselineRow | undefined
}

/** Runs that somebody keeps: a few among many thousands. */
const KEPT = { [Op.in]: literal('(SELECT run_id FROM baselines)') }
/** How many of the last open runs are looked through for one of the same load. */
const LOOKED_THROUGH = 20

/** What a person kept on the branch, or on the default branch; else the last open runs of the default branch. */
async function candidates({ projectId, plan, target, branch, defaultBranch }: BaselineOf): Promise<Found[]> {
  const where = { projectId, madeFile: plan, madeTarget: target }
  for (const one of [...new Set([branch, defaultBranch])]) {
    const row = await RunRow.findOne({ where: { ...where, branch: one, id: KEPT } })
    const kept = row === null ? null : await BaselineRow.findByPk(row.id)
    if (row !== null && kept !== null) return [{ row, kept }]
  }
  const open = await RunRow.findAll({
    where: { ...where, branch: defaultBranch, verdict: 'open', state: 'ended', dirty: false, unfit: null },
    order: [['number', 'DESC']],
    limit: LOOKED_THROUGH,
  })
  return open.map((row) => ({ row, kept: undefined }))
}

/** The baseline as people see it; which of the last open runs fits is known when a plan is run. */
export async function baselineLine(asked: BaselineOf): Promise<BaselineLine | null> {
  const [found] = await candidates(asked)
  return found === undefined ? null : lineOf(found)
}

const lineOf = ({ row, kept }: Found): BaselineLine => ({
  run: summaryOfRun(row),
  how: kept === undefined ? 'last open run' : 'pinned',
  branch: row.branch,
  by: kept?.by ?? null,
  at: kept?.at.toISOString() ?? null,
})

/** The baseline that a run is held to; undefined where none has the same target, scale and load. */
export async function baselineFor(
  where: Omit<BaselineOf, 'plan' | 'target'>,
  plan: Plan,
  target: Target,
): Promise<Baseline | undefined> {
  const run = { target, plan: { scale: 1, load: loadFingerprint(plan) } }
  return fittingBaseline({ ...where, plan: plan.file, target: target.name }, run)
}

/** The same for a run that is told by its target, scale and load. */
export async function fittingBaseline(
  where: BaselineOf,
  run: Parameters<typeof baselineFault>[1],
): Promise<Baseline | undefined> {
  for (const { row } of await candidates(where)) {
    const baseline = await baselineOfRun(row.id)
    if (baseline !== undefined && baselineFault(baseline, run) === undefined) return baseline
  }
  return undefined
}

/** Why no run fits as a baseline, in words. */
export async function whyNoBaseline(where: BaselineOf, run: Parameters<typeof baselineFault>[1]): Promise<string> {
  const [first] = await candidates(where)
  const baseline = first === undefined ? undefined : await baselineOfRun(first.row.id)
  if (first === undefined || baseline === undefined)
    return `no run is kept, and none on ${where.defaultBranch ?? 'the default branch'} was open`
  const fault = baselineFault(baseline, run)
  const number = String(first.row.number)
  if (fault === undefined) return `run ${number} fits, and was there only after this run began`
  return `run ${number}, ${first.kept === undefined ? 'the last open one' : 'which is pinned'}, cannot be this run's baseline: ${fault}`
}

/** What a stored run is as a baseline. */
export async function baselineOfRun(id: string): Promise<Baseline | undefined> {
  const result = (await RunPartsRow.findByPk(id, { attributes: ['result'] }))?.result ?? null
  return result === null ? undefined : baselineFrom(result)
}

/** Keeps a run; whatever was kept for its plan, target and branch is kept no longer. */
export async function keepBaseline(row: RunRow, by: string): Promise<BaselineLine> {
  if (row.state !== 'ended' || row.verdict === null)
    throw new Problem(409, 'GOING', 'the run has not ended yet: keep it when it has')
  if (row.verdict === 'void' || row.verdict === 'stopped')
    throw new Problem(
      409,
      'NO_BASELINE',
      `a run that is ${row.verdict} is no baseline: its figures cannot be relied on`,
    )
  if (row.unfit != null) throw new Problem(409, 'UNFIT', `a run that counts for no stage is no baseline: ${row.unfit}`)
  const { projectId, madeFile, madeTarget, branch } = row
  const where = { projectId, madeFile, madeTarget, branch, id: KEPT }
  const others = await RunRow.findAll({ where, attributes: ['id'] })
  const { sequelize } = BaselineRow
  if (sequelize === undefined) throw new Error('the database is not open')
  const kept = await sequelize.transaction(async (transaction) => {
    await BaselineRow.destroy({ where: { runId: others.map(({ id }) => id) }, transaction })
    return BaselineRow.create({ runId: row.id, by: by.slice(0, 200), at: new Date() }, { transaction })
  })
  return lineOf({ row, kept })
}

/** Whether it was kept at all. */
export async function removeBaseline(runId: string): Promise<boolean> {
  return (await BaselineRow.destroy({ where: { runId } })) > 0
}

/** Who keeps a run; null where it is kept as none. */
export async function keptByOf(runId: string): Promise<string | null> {
  return (await BaselineRow.findByPk(runId))?.by ?? null
}

const LAST = 10

/** In how many of the last ten runs each rule was borderline. */
export async function pastBorderline(projectId: number, plan: string, target: string): Promise<Record<string, number>> {
  const runs = await RunRow.findAll({
    where: { projectId, planFile: plan, targetName: target, verdict: { [Op.in]: ['open', 'shut', 'void'] } },
    attributes: ['id'],
    order: [['number', 'DESC']],
    limit: LAST,
  })
  const rows = await GateRow.findAll({
    where: { runId: runs.map(({ id }) => id), borderline: true },
    attributes: ['rule'],
  })
  const counts = new Map<string, number>()
  for (const { rule } of rows) counts.set(rule, (counts.get(rule) ?? 0) + 1)
  return Object.fromEntries(counts)
}
