// A run as its page shows it.
import type { RunResult } from '@jolt-gate/core'
import type { RunDetail } from '@jolt-gate/core/api'
import type { RunRow } from '../database/models.js'
import { marksOf } from '../reading/marks.js'
import { baselineOfRun, keptByOf } from '../trends/baselines.js'
import { partsOf, summaryOfRun } from './store.js'

export async function detailOf(row: RunRow): Promise<RunDetail> {
  const { plan, shape, result } = await partsOf(row.id)
  const baseline = row.baselineId === null ? undefined : await baselineOfRun(row.baselineId)
  return {
    ...summaryOfRun(row),
    ...{ projectId: row.projectId, plan, shape, result: withoutHistograms(result), baseline: baseline ?? null },
    keptBy: await keptByOf(row.id),
    marks: await marksOf(row.id),
  }
}

/** Pages have the buckets, and need no histograms of the result. */
function withoutHistograms(result: RunResult | null) {
  return result === null ? null : { ...result, histograms: [], blocks: undefined }
}
