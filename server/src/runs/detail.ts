// A run as its page shows it.
import { loadFingerprint, type Plan, type RunResult } from '@jolt-gate/core'
import type { RunDetail } from '@jolt-gate/core/api'
import type { RunRow } from '../database/models.js'
import { marksOf } from './marks.js'
import { baselineMadeOf, keptByOf, whyNoBaseline } from './baselines.js'
import { projectOf } from '../projects/project-of.js'
import { partsOf, summaryOfRun } from '../database/run-summary.js'

export async function detailOf(row: RunRow): Promise<RunDetail> {
  const { plan, shape, result } = await partsOf(row.id)
  const of = row.baselineIds ?? (row.baselineId === null ? null : { runs: [row.baselineId], pinned: null })
  const baseline = await baselineMadeOf(row.projectId, of)
  return {
    ...summaryOfRun(row),
    ...{ projectId: row.projectId, plan, shape, result: withoutHistograms(result), baseline: baseline ?? null },
    noBaseline: await noBaselineWords(row, plan),
    keptBy: await keptByOf(row.id),
    signedBy: row.signedBy ?? null,
    marks: await marksOf(row.id),
  }
}

/** Only where a gate is against a baseline and has none is anything sought. */
async function noBaselineWords({ projectId, baselineId, planFile, targetName, branch }: RunRow, plan: Plan) {
  if (baselineId !== null) return null
  if (!plan.gates.some(({ limit }) => limit.kind === 'baseline')) return null
  const { own } = await projectOf(String(projectId))
  const { branch: defaultBranch } = await own.head()
  const where = { projectId, plan: planFile, target: targetName, branch, defaultBranch }
  return whyNoBaseline(where, { target: { name: targetName }, plan: { scale: 1, load: loadFingerprint(plan) } })
}

/** Pages have the buckets, and need no histograms of the result. */
function withoutHistograms(result: RunResult | null) {
  return result === null ? null : { ...result, histograms: [], blocks: undefined }
}
