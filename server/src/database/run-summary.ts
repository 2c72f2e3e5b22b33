// A run as it is stored, for the one who shows it: in a list, or with all its parts.
import type { RunSummary } from '@jolt-gate/core/api'
import { RunPartsRow, type RunRow } from './models.js'

/** The plan, shape and result of a run. */
export async function partsOf(runId: string): Promise<RunPartsRow> {
  return RunPartsRow.findByPk(runId, { rejectOnEmpty: true })
}

/** What lists show of a run. */
export function summaryOfRun(row: RunRow): RunSummary {
  const { id, number, planFile, planName, targetName, origin, commit, branch, dirty, state, verdict, reasons } = row
  const { part, spark, seconds, requests, failedShare, p95, gatesAll, gatesBreached, impact, startedBy, note } = row
  return {
    ...{ id, number, planFile, planName, targetName, origin, commit, branch, dirty, state, verdict, reasons },
    ...{ part, spark, seconds, requests, failedShare, p95, impact, startedBy, note },
    labels: row.labels ?? {},
    askedAt: row.askedAt.toISOString(),
    startedAt: row.startedAt?.toISOString() ?? null,
    endedAt: row.endedAt?.toISOString() ?? null,
    gates: gatesAll === null || gatesBreached === null ? null : { all: gatesAll, breached: gatesBreached },
  }
}
