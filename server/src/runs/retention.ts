// Runs that are older than a project keeps them are deleted, at each start of the server and every hour: never many at
// once, or a slip in the rule or the clock would take them all.
import { isDue, readRetention, type KeepRule } from '@jolt-gate/core'
import { literal, Op } from 'sequelize'
import { ProjectRow, RetentionDayRow, RunRow } from '../database/models.js'
import { log } from '../observability/log.js'
import { Problem } from '../http/problem.js'
import { note } from '../people/audit-log.js'
import { ClockJumps } from './clock-jumps.js'
import { deleteRuns } from './list.js'

const DAY_MS = 86_400_000
const HOUR_MS = 3_600_000
/** A run of an hour has thousands of rows. */
const AT_ONCE = 20
/** Of a plan's runs, one in so many goes in a day without an administrator's word. */
const PARTS_A_DAY = 10

/** What a rule says; a problem in the words of its fault. */
export function rulesOf(text: string): readonly KeepRule[] {
  const read = readRetention(text)
  if (!read.ok) throw new Problem(400, 'BAD_FIELD', read.fault)
  return read.rules
}

export interface DueRun {
  id: string
  planFile: string
}

/** Runs that have ended, that are kept as no baseline, and that no rule keeps any longer: the oldest first. */
export async function dueRuns(projectId: number, rules: readonly KeepRule[], now = Date.now()): Promise<DueRun[]> {
  const [all] = rules
  if (all === undefined) return []
  const rows = await RunRow.findAll({
    where: {
      projectId,
      state: 'ended',
      askedAt: { [Op.lt]: new Date(now - all.days * DAY_MS) },
      id: { [Op.notIn]: literal('(SELECT run_id FROM baselines)') },
    },
    attributes: ['id', 'planFile', 'askedAt', 'verdict', 'branch', 'labels'],
    order: [['askedAt', 'ASC']],
  })
  return rows.flatMap(({ id, planFile, askedAt, verdict, branch, labels }) =>
    isDue(rules, { askedAt, verdict, branch, labels: labels ?? {} }, now) ? [{ id, planFile }] : [],
  )
}

/** Of what is due, what may go today without an administrator's word: of each plan a tenth of its runs, or one. */
export async function dueToday(projectId: number, due: readonly DueRun[], now = Date.now()): Promise<DueRun[]> {
  const today: DueRun[] = []
  for (const [planFile, runs] of byPlan(due)) {
    const { had, deleted } = await dayOf(projectId, planFile, now)
    today.push(...runs.slice(0, Math.max(0, Math.max(1, Math.floor(had / PARTS_A_DAY)) - deleted)))
  }
  return today
}

function byPlan(runs: readonly DueRun[]): Map<string, DueRun[]> {
  const plans = new Map<string, DueRun[]>()
  for (const run of runs) {
    const same = plans.get(run.planFile)
    if (same === undefined) plans.set(run.planFile, [run])
    else same.push(run)
  }
  return plans
}

/** The day that is under way for a plan, begun where there is none. A clock that went back begins no further one. */
async function dayOf(projectId: number, planFile: string, now: number): Promise<RetentionDayRow> {
  const [day, isNew] = await RetentionDayRow.findOrBuild({
    where: { projectId, planFile },
    defaults: { projectId, planFile, since: new Date(now), had: 0, deleted: 0 },
  })
  if (isNew || now - day.since.getTime() >= DAY_MS)
    day.set({ since: new Date(now), had: await RunRow.count({ where: { projectId, planFile } }), deleted: 0 })
  else if (day.since.getTime() > now) day.set({ since: new Date(now) })
  return day
}

/** Deletes in every project what is due and may go today. */
export async function deleteDue(now = Date.now()): Promise<void> {
  for (const { id, retention } of await ProjectRow.findAll()) {
    const due = await dueRuns(id, rulesOf(retention), now)
    const today = await dueToday(id, due, now)
    if (today.length === 0) continue
    for (const [planFile, runs] of byPlan(today)) {
      // Noted before: one that is killed in between has deleted too few.
      const day = await dayOf(id, planFile, now)
      await day.set({ deleted: day.deleted + runs.length }).save()
      await deleteAll(id, runs)
    }
    const left = due.length - today.length
    const more = left === 0 ? '' : `; ${String(left)} more are due, at most a tenth of a plan's runs goes in a day`
    const detail = `${String(today.length)} by the rule "${retention}"${more}`
    await note({ personId: null, who: 'the server', event: 'deleted runs', detail, projectId: id })
  }
}

/** Deletes runs, some at a time. */
export async function deleteAll(projectId: number, runs: readonly DueRun[]): Promise<void> {
  const ids = runs.map(({ id }) => id)
  for (let from = 0; from < ids.length; from += AT_ONCE) await deleteRuns(projectId, ids.slice(from, from + AT_ONCE))
}

/** Deletes what is due now and every hour, unless the clock has jumped; gives what ends that. */
export function keepDeleting(): () => void {
  const jumps = new ClockJumps()
  const once = async () => {
    const days = jumps.days()
    if (days !== 0) await noteJump(days)
    if (jumps.isSteady()) await deleteDue()
  }
  const logged = () => {
    once().catch((error: unknown) => {
      log.error({ err: error }, 'runs that are due could not be deleted')
    })
  }
  logged()
  const timer = setInterval(logged, HOUR_MS)
  return () => {
    clearInterval(timer)
  }
}

async function noteJump(days: number): Promise<void> {
  const way = days > 0 ? 'forward' : 'back'
  const detail = `${way} by ${String(Math.abs(days))} days: no runs are deleted by a rule for a day`
  log.error({ days }, `the clock of the server has jumped ${detail}`)
  await note({ personId: null, who: 'the server', event: 'saw its clock jump', detail })
}
