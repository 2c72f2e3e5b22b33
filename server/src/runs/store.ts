// Runs in the database: asked for, begun, second by second, ended.
import type { Bucket, Plan, RunResult, RunShape, Target } from '@jolt-gate/core'
import { encodeBucket, phaseRanges } from '@jolt-gate/core'
import type { RunSummary } from '@jolt-gate/core/api'
import { BucketRow, FailureRow, GateRow, RunRow, type Spark } from '../database/models.js'
import type { CommitInfo } from '../projects/working-copy.js'

const SPARK_POINTS = 60

export interface NewRun {
  id: string
  projectId: number
  plan: Plan
  target: Target
  shape: RunShape
  head: CommitInfo
}

export async function addRun({ id, projectId, plan, target, shape, head }: NewRun): Promise<RunRow> {
  const last: unknown = await RunRow.max('number', { where: { projectId } })
  return RunRow.create({
    id,
    projectId,
    number: (typeof last === 'number' ? last : 0) + 1,
    planFile: plan.file,
    planName: plan.name.slice(0, 300),
    targetName: target.name,
    origin: target.origin,
    ...head,
    state: 'waiting',
    verdict: null,
    reasons: [],
    // Rows and scripts were for the senders; what is kept is for judging and for showing.
    plan: { ...plan, data: plan.data.map((data) => ({ ...data, rows: [] })) },
    shape,
    spark: { due: [], p95: [] },
    result: null,
    askedAt: new Date(),
    startedAt: null,
    endedAt: null,
  })
}

export async function addBucket(runId: string, bucket: Bucket): Promise<void> {
  await BucketRow.upsert({ runId, second: bucket.second, data: Buffer.from(encodeBucket(bucket)) })
}

/** Buckets after a second, in order. */
export async function bucketsAfter(runId: string, second: number): Promise<{ second: number; data: Buffer }[]> {
  const rows = await BucketRow.findAll({ where: { runId }, order: [['second', 'ASC']] })
  return rows.filter((row) => row.second > second).map((row) => ({ second: row.second, data: row.data }))
}

/** Writes the result of a run; written again after teardown, it takes the place of the first. */
export async function storeResult(row: RunRow, result: RunResult, shape: RunShape): Promise<void> {
  await row.update({
    shape,
    verdict: result.verdict,
    reasons: result.reasons,
    result,
    spark: sparkOf(result),
    endedAt: new Date(result.endedAt),
    startedAt: new Date(result.startedAt),
  })
  await GateRow.destroy({ where: { runId: row.id } })
  await GateRow.bulkCreate(
    result.gates.map((gate, position) => ({
      runId: row.id,
      position,
      rule: gate.rule.slice(0, 1000),
      status: gate.status,
      observed: gate.observed,
      limitValue: gate.limit,
      unit: gate.unit,
    })),
  )
  await FailureRow.destroy({ where: { runId: row.id } })
  await FailureRow.bulkCreate(
    result.steps.flatMap((step) =>
      step.failures.map((failure) => ({
        runId: row.id,
        step: step.name.slice(0, 300),
        kind: failure.kind,
        detail: failure.detail.slice(0, 500),
        count: failure.count,
        firstAtMs: failure.firstAtMs,
        sample: failure.sample.slice(0, 1000),
      })),
    ),
  )
}

/** What lists show of a run. */
export function summaryOfRun(row: RunRow): RunSummary {
  const { id, number, planFile, planName, targetName, origin, commit, branch, dirty, state, verdict, reasons } = row
  const { askedAt, startedAt, endedAt, shape, spark, result } = row
  return {
    ...{ id, number, planFile, planName, targetName, origin, commit, branch, dirty, state, verdict, reasons, spark },
    askedAt: askedAt.toISOString(),
    startedAt: startedAt?.toISOString() ?? null,
    endedAt: endedAt?.toISOString() ?? null,
    seconds: Math.max(0, ...phaseRanges(shape).map(({ toMs }) => toMs / 1000)),
    gates:
      result === null
        ? null
        : { all: result.gates.length, breached: result.gates.filter((gate) => gate.status === 'breached').length },
    requests: result?.totals.requests ?? null,
    failedShare: result?.totals.failedShare ?? null,
    p95: result === null ? null : mostOf(result.series.p95),
  }
}

function sparkOf(result: RunResult): Spark {
  const { arrivalsDue, p95 } = result.series
  const width = Math.max(1, Math.ceil(arrivalsDue.length / SPARK_POINTS))
  const points = Array.from({ length: Math.ceil(arrivalsDue.length / width) }, (_, index) => index * width)
  return {
    due: points.map((at) => Math.max(...arrivalsDue.slice(at, at + width))),
    p95: points.map((at) => mostOf(p95.slice(at, at + width))),
  }
}

/** The largest of some figures; null where there is none. */
function mostOf(figures: readonly (number | null)[]): number | null {
  return figures.reduce((most, value) => (value !== null && (most === null || value > most) ? value : most), null)
}
