// Runs that are older than a project keeps them are deleted, at each start of the server and every hour.
import { isDue, readRetention, type KeepRule } from '@jolt-gate/core'
import { literal, Op } from 'sequelize'
import { ProjectRow, RunRow } from '../database/models.js'
import { log } from '../observability/log.js'
import { Problem } from '../http/problems.js'
import { note } from '../people/audit-log.js'
import { deleteRuns } from './list.js'

const DAY_MS = 86_400_000
const HOUR_MS = 3_600_000
const AT_ONCE = 500

/** What a rule says; a problem in the words of its fault. */
export function rulesOf(text: string): readonly KeepRule[] {
  const read = readRetention(text)
  if (!read.ok) throw new Problem(400, 'BAD_FIELD', read.fault)
  return read.rules
}

/** Runs that have ended, that are kept as no baseline, and that no rule keeps any longer. */
export async function dueRuns(projectId: number, rules: readonly KeepRule[], now = Date.now()): Promise<string[]> {
  const [all] = rules
  if (all === undefined) return []
  const rows = await RunRow.findAll({
    where: {
      projectId,
      state: 'ended',
      askedAt: { [Op.lt]: new Date(now - all.days * DAY_MS) },
      id: { [Op.notIn]: literal('(SELECT run_id FROM baselines)') },
    },
    attributes: ['id', 'askedAt', 'verdict', 'branch', 'labels'],
  })
  return rows.flatMap(({ id, askedAt, verdict, branch, labels }) =>
    isDue(rules, { askedAt, verdict, branch, labels: labels ?? {} }, now) ? [id] : [],
  )
}

/** Deletes what is due in every project. */
export async function deleteDue(now = Date.now()): Promise<void> {
  for (const { id, retention } of await ProjectRow.findAll()) {
    const due = await dueRuns(id, rulesOf(retention), now)
    let deleted = 0
    for (let from = 0; from < due.length; from += AT_ONCE)
      deleted += (await deleteRuns(id, due.slice(from, from + AT_ONCE))).length
    if (deleted === 0) continue
    const detail = `${String(deleted)} by the rule "${retention}"`
    await note({ personId: null, who: 'the server', event: 'deleted runs', detail, projectId: id })
  }
}

/** Deletes what is due now and every hour; gives what ends that. */
export function keepDeleting(): () => void {
  const once = () => {
    deleteDue().catch((error: unknown) => {
      log.error({ err: error }, 'runs that are due could not be deleted')
    })
  }
  once()
  const timer = setInterval(once, HOUR_MS)
  return () => {
    clearInterval(timer)
  }
}
