// Runs in the database: asked for, begun, second by second, ended.
import {
  figuresOf,
  labelsWritten,
  lengthOf,
  previewOf,
  sparkOf,
  type Plan,
  type RunResult,
  type RunShape,
  type Target,
  withoutRows,
} from '@jolt-gate/core'
import { Op, type Transaction, UniqueConstraintError } from 'sequelize'
import { BucketRow, FailureRow, GateRow, RunPartsRow, RunRow, StepRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import type { CommitInfo } from '../projects/working-copy.js'

export interface NewRun {
  id: string
  projectId: number
  plan: Plan
  target: Pick<Target, 'name' | 'origin'>
  shape: RunShape
  head: CommitInfo
  startedBy: string
  labels?: Record<string, string>
  /** By default now. */
  askedAt?: Date
  /** By default the commit of the head, of which the change is one. */
  planCommit?: string | null
  /** Why it counts for no stage of a pipeline; by default what the head says. */
  unfit?: string | null
  /** The stage that the server runs it for. */
  stageRunId?: string | null
  /** The key of the one who asks; a second run with it is refused as a `UniqueConstraintError`. */
  askedAs?: string | null
  /** The fingerprints of what it was read from. */
  texts?: Record<string, string> | null
}

export const UNCOMMITTED = 'its plan had changes that were not committed'

/** Two who ask at once want the same number; one of them gets the next. */
const MOST_TRIES = 50

export async function addRun(run: NewRun): Promise<RunRow> {
  for (let tries = 1; ; tries++) {
    try {
      return await addNumbered(run)
    } catch (error) {
      const isNumber = error instanceof UniqueConstraintError && !JSON.stringify(error.fields).includes('asked_as')
      if (!isNumber || tries === MOST_TRIES) throw error
    }
  }
}

/** Adds a run where no other is added; `addRun` tries again where one is. */
export async function addNumbered(run: NewRun): Promise<RunRow> {
  const { id, projectId, plan, target, shape, head, startedBy, labels = {}, askedAt = new Date() } = run
  const {
    planCommit = head.commit,
    unfit = head.dirty ? UNCOMMITTED : null,
    texts = null,
    stageRunId = null,
    askedAs = null,
  } = run
  const last: unknown = await RunRow.max('number', { where: { projectId } })
  const { peakRate, mostUsers } = previewOf(plan)
  const number = (typeof last === 'number' ? last : 0) + 1
  return transaction(async (within) => {
    const row = await RunRow.create(
      {
        id,
        projectId,
        number,
        startedBy: startedBy.slice(0, 200),
        ...{ planCommit, unfit, stageRunId, askedAs },
        labels,
        note: null,
        searched: searchedOf({
          ...{ number, planFile: plan.file, planName: plan.name, targetName: target.name, ...head },
          ...{ startedBy, labels, note: null },
        }),
        planFile: plan.file,
        planName: plan.name.slice(0, 300),
        targetName: target.name,
        ...{ madeFile: plan.file, madeTarget: target.name },
        origin: target.origin,
        ...head,
        state: 'queued',
        part: null,
        verdict: null,
        reasons: [],
        spark: { due: [], p95: [] },
        seconds: lengthOf(shape),
        peakRate,
        mostUsers,
        ...NO_FIGURES,
        askedAt,
        startedAt: null,
        endedAt: null,
      },
      within,
    )
    await RunPartsRow.create({ runId: id, plan: withoutRows(plan), shape, result: null, texts }, within)
    return row
  })
}

/** What a search looks through. */
function searchedOf(run: Searched): string {
  const { number, planName, planFile, targetName, branch, commit, startedBy, labels, note } = run
  const words = [
    number,
    planName,
    planFile,
    targetName,
    branch,
    commit,
    startedBy,
    ...labelsWritten(labels ?? {}),
    note,
  ]
  return words.join(' ').toLowerCase().slice(0, 1000)
}
type Searched = Pick<
  RunRow,
  'number' | 'planName' | 'planFile' | 'targetName' | 'branch' | 'commit' | 'startedBy' | 'labels' | 'note'
>

/** What people say of a run. */
export async function describeRun(row: RunRow, labels: Record<string, string>, note: string | null): Promise<void> {
  const said = { labels, note: note === null || note.trim() === '' ? null : note }
  row.set(said)
  // What was set before an update is not written with it.
  await row.update({ ...said, searched: searchedOf(row) })
}

/** All or nothing: a server that dies in between leaves no half of it. */
function transaction<T>(task: (within: { transaction: Transaction }) => Promise<T>): Promise<T> {
  const { sequelize } = RunRow
  if (sequelize === undefined) throw new Error('the database is not open')
  return sequelize.transaction((transaction) => task({ transaction }))
}

/** A run by its id; a problem where there is none. */
export async function runOf(id: string): Promise<RunRow> {
  const row = await RunRow.findByPk(id)
  if (row === null) throw new Problem(404, 'NO_RUN', `no run ${id}`)
  return row
}

/** Stores a second; one that is known is written over by itself. */
export async function addBucket(runId: string, second: number, bytes: Uint8Array): Promise<void> {
  await BucketRow.upsert({ runId, second, data: Buffer.from(bytes) })
}

/** Buckets after a second, in order. */
export async function bucketsAfter(
  runId: string,
  second: number,
  limit?: number,
): Promise<{ second: number; data: Buffer }[]> {
  const rows = await BucketRow.findAll({
    where: { runId, second: { [Op.gt]: second } },
    order: [['second', 'ASC']],
    ...(limit === undefined ? {} : { limit }),
  })
  return rows.map((row) => ({ second: row.second, data: row.data }))
}

/** Writes the result of a run; written again after teardown, it takes the place of the first. */
export async function storeResult(row: RunRow, result: RunResult, shape: RunShape): Promise<void> {
  const runId = row.id
  await transaction(async (within) => {
    await RunPartsRow.update({ shape, result }, { where: { runId }, ...within })
    await row.update(
      {
        verdict: result.verdict,
        reasons: result.reasons,
        spark: sparkOf(result),
        seconds: lengthOf(shape),
        ...figuresOf(result),
        endedAt: new Date(result.endedAt),
        startedAt: new Date(result.startedAt),
      },
      within,
    )
    await GateRow.destroy({ where: { runId }, ...within })
    await GateRow.bulkCreate(gateRows(runId, result), within)
    await StepRow.destroy({ where: { runId }, ...within })
    await StepRow.bulkCreate(stepRows(runId, result), within)
    await FailureRow.destroy({ where: { runId }, ...within })
    await FailureRow.bulkCreate(failureRows(runId, result), within)
  })
}

const NO_FIGURES = { gatesAll: null, gatesBreached: null, requests: null, failedShare: null, p95: null, impact: null }

const gateRows = (runId: string, { gates }: RunResult) =>
  gates.map(({ rule, status, observed, limit, unit, interval, borderline }, position) => ({
    ...{ runId, position, status, observed, unit, borderline },
    rule: rule.slice(0, 1000),
    limitValue: limit,
    intervalLow: interval?.[0] ?? null,
    intervalHigh: interval?.[1] ?? null,
  }))

const stepRows = (runId: string, { steps }: RunResult) =>
  steps.map(({ name, requests, failedShare, responseTime }, position) => ({
    ...{ runId, position, requests, failedShare },
    step: name.slice(0, 300),
    p95: responseTime?.percentiles['95'] ?? null,
  }))

const failureRows = (runId: string, { steps }: RunResult) =>
  steps.flatMap(({ name, failures }) =>
    failures.map(({ kind, detail, count, firstAtMs, sample }) => ({
      ...{ runId, kind, count, firstAtMs },
      step: name.slice(0, 300),
      detail: detail.slice(0, 500),
      sample: sample.slice(0, 1000),
    })),
  )
