// The runs that a plan's next run against a target is held to: the last ones, and the one that a person keeps.
import {
  baselineFault,
  baselineFrom,
  baselineOf,
  loadFingerprint,
  MOST_BASELINE_RUNS,
  RESULT,
  runsOfBaseline,
  type Baseline,
  type BaselineRun as PartOfBaseline,
  type Plan,
  type RunResult,
  type Target,
} from '@jolt-gate/core'
import type { BaselineLine } from '@jolt-gate/core/api'
import { literal, Op } from 'sequelize'
import { BaselineRow, GateRow, RunPartsRow, RunRow, type BaselineIds } from '../database/models.js'
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
/** How many of the last runs are looked through for such of the same load. */
const LOOKED_THROUGH = 40

/** What a person kept on the branch, or on the default branch. */
async function keptFor({ projectId, plan, target, branch, defaultBranch }: BaselineOf): Promise<Found | undefined> {
  const where = { projectId, madeFile: plan, madeTarget: target }
  for (const one of [...new Set([branch, defaultBranch])]) {
    const row = await RunRow.findOne({ where: { ...where, branch: one, id: KEPT } })
    const kept = row === null ? null : await BaselineRow.findByPk(row.id)
    if (row !== null && kept !== null) return { row, kept }
  }
  return undefined
}

/** The last runs of the default branch that measured something, the latest first. */
async function lastFor({ projectId, plan, target, defaultBranch }: BaselineOf): Promise<Found[]> {
  const rows = await RunRow.findAll({
    where: {
      ...{ projectId, madeFile: plan, madeTarget: target, branch: defaultBranch },
      ...{ verdict: ['open', 'shut', 'void'], state: 'ended', dirty: false, unfit: null },
    },
    order: [['number', 'DESC']],
    limit: LOOKED_THROUGH,
  })
  return rows.map((row) => ({ row, kept: undefined }))
}

/** The baseline as people see it; which of the last runs fit is known when a plan is run. */
export async function baselineLine(asked: BaselineOf): Promise<BaselineLine | null> {
  const found = (await keptFor(asked)) ?? (await lastFor(asked)).find(({ row: { verdict } }) => verdict !== 'void')
  return found === undefined ? null : lineOf(found)
}

const lineOf = ({ row, kept }: Found): BaselineLine => ({
  run: summaryOfRun(row),
  how: kept === undefined ? 'last runs' : 'pinned',
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
  // Without a gate that asks for it, it is only what pages compare with.
  const most = plan.gates.some(({ limit }) => limit.kind === 'baseline') ? MOST_BASELINE_RUNS : 1
  return fittingBaseline({ ...where, plan: plan.file, target: target.name }, run, most)
}

/** The same for a run that is told by its target, scale and load. */
export async function fittingBaseline(
  where: BaselineOf,
  run: Parameters<typeof baselineFault>[1],
  most = MOST_BASELINE_RUNS,
): Promise<Baseline | undefined> {
  const fits = (one: PartOfBaseline | undefined) => one !== undefined && baselineFault(one, run) === undefined
  const kept = await keptFor(where)
  const pinned = kept === undefined ? undefined : await baselineRunOf(kept.row.id)
  const last: PartOfBaseline[] = []
  // Who pins a run accepts its level: what was before it is no measure any more.
  const since = kept !== undefined && fits(pinned) ? kept.row.number : 0
  for (const { row } of await lastFor(where)) {
    if (last.length >= most || row.number <= since) break
    const one = await baselineRunOf(row.id)
    if (one !== undefined && fits(one)) last.push(one)
  }
  return baselineOf(last, fits(pinned) ? pinned : undefined)
}

/** Why no run fits as a baseline, in words. */
export async function whyNoBaseline(where: BaselineOf, run: Parameters<typeof baselineFault>[1]): Promise<string> {
  const first = (await keptFor(where)) ?? (await lastFor(where))[0]
  const baseline = first === undefined ? undefined : await baselineRunOf(first.row.id)
  if (first === undefined || baseline === undefined)
    return `no run is kept, and none on ${where.defaultBranch ?? 'the default branch'} has measured anything`
  const fault = baselineFault(baseline, run)
  const number = String(first.row.number)
  if (fault === undefined)
    return `run ${number} fits, and was there only after this run began, or the gate was breached in it`
  return `run ${number}, ${first.kept === undefined ? 'the last one' : 'which is pinned'}, cannot be this run's baseline: ${fault}`
}

/** What of a stored result a baseline is made of, as the database tells it without the rest, which may be large. */
const PARTS = ['id', 'verdict', 'reasons', 'startedAt', 'target', 'plan', 'gates'] as const
const OF_BASELINE = RESULT.pick([...PARTS])
const OF_RESULT = literal(
  `CONCAT('{', ${PARTS.map((part) => `'"${part}":', JSON_EXTRACT(result, '$.${part}')`).join(", ',', ")}, '}')`,
)

const REPEATS = literal("JSON_LENGTH(result, '$.repeats')")

/** What a stored run is as a part of a baseline. */
async function baselineRunOf(id: string): Promise<PartOfBaseline | undefined> {
  const row = await RunPartsRow.findByPk(id, { attributes: ['runId', [OF_RESULT, 'told'], [REPEATS, 'repeats']] })
  const told: unknown = row?.get('told')
  const repeats: unknown = row?.get('repeats')
  const parts: unknown = typeof told === 'string' ? JSON.parse(told) : undefined
  // One of an edition that knew less is no baseline, and no reason to fail.
  if (!OF_BASELINE.isValidSync(parts)) return undefined
  return { ...baselineFrom(parts), ...(typeof repeats === 'number' && repeats > 0 ? { repeats } : {}) }
}

/** A baseline by the runs that it was made of, as far as they are there, and of this project. */
export async function baselineMadeOf(projectId: number, of: BaselineIds | null): Promise<Baseline | undefined> {
  if (of === null) return undefined
  const ids = of.runs.slice(0, MOST_BASELINE_RUNS + 1)
  const own = new Set((await RunRow.findAll({ where: { projectId, id: ids }, attributes: ['id'] })).map(({ id }) => id))
  const runs = await Promise.all(ids.filter((id) => own.has(id)).map(baselineRunOf))
  const known = runs.flatMap((run) => run ?? [])
  return baselineOf(
    known.filter(({ id }) => id !== of.pinned),
    known.find(({ id }) => id === of.pinned),
  )
}

/** How a baseline is known again. */
export const idsOfBaseline = (baseline: Baseline | undefined): BaselineIds | null =>
  baseline === undefined ? null : { runs: runsOfBaseline(baseline), pinned: baseline.pinned?.id ?? null }

/** The same of a result; those of old were held to one run. */
export function idsInResult({ baseline }: Pick<RunResult, 'baseline'>): BaselineIds | null {
  return baseline === null ? null : { runs: baseline.runs ?? [baseline.id], pinned: baseline.pinned ?? null }
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
    attributes: ['rule', 'observed', 'intervalLow', 'intervalHigh', 'limitValue'],
  })
  const counts = new Map<string, number>()
  for (const { rule, observed, intervalLow, intervalHigh, limitValue } of rows) {
    // A run that was too short to tell, or in which nothing failed, says nothing of how close the limit is.
    const reaches =
      (intervalHigh !== null && intervalHigh >= (limitValue ?? Infinity)) ||
      (intervalLow !== null && intervalLow <= (limitValue ?? -Infinity))
    if (reaches && observed !== 0) counts.set(rule, (counts.get(rule) ?? 0) + 1)
  }
  return Object.fromEntries(counts)
}
