// What a project may spend in a day, and has spent in the last 24 hours: runs that this server makes, and their load.
import type { Budget } from '@jolt-gate/core/api'
import { Op } from 'sequelize'
import { CapacityRow, ProjectRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'

const DAY_MS = 86_400_000

export const budgetOf = ({ mostRunsADay, mostMinutesADay }: ProjectRow): Budget => ({
  runsADay: mostRunsADay ?? null,
  minutesADay: mostMinutesADay ?? null,
})

export async function spentBy(projectId: number, nowMs = Date.now()): Promise<{ runs: number; minutes: number }> {
  const rows = await lastDay(projectId, nowMs)
  return { runs: rows.length, minutes: Math.round(rows.reduce((sum, row) => sum + minutesOf(row), 0) * 10) / 10 }
}

/** Refuses a run that the project has no budget left for, and says when it has. */
export async function refuseOverBudget(projectId: number, seconds: number, nowMs = Date.now()): Promise<void> {
  const project = await ProjectRow.findByPk(projectId, { rejectOnEmpty: true })
  const { runsADay, minutesADay } = budgetOf(project)
  if (runsADay === null && minutesADay === null) return
  const rows = await lastDay(projectId, nowMs)
  const spent = rows.reduce((sum, row) => sum + minutesOf(row), 0)
  const asked = seconds / 60
  if (runsADay !== null && rows.length >= runsADay)
    throw over(`${String(runsADay)} runs`, rows, rows.length - runsADay + 1, () => 1)
  if (minutesADay !== null && spent + asked > minutesADay)
    throw over(`${String(minutesADay)} minutes of load`, rows, spent + asked - minutesADay, minutesOf)
}

/**
 * @param need - how much of what was spent has to be older than a day
 * @param cost - of one run
 */
function over(what: string, rows: readonly Cost[], need: number, cost: (row: Cost) => number): Problem {
  let freed = 0
  const freeing = rows.find((row) => (freed += cost(row)) >= need)
  const when =
    freeing === undefined
      ? 'this run alone is longer'
      : `there is room again at ${new Date(freeing.askedAt.getTime() + DAY_MS).toISOString().slice(0, 16)}Z`
  return new Problem(
    409,
    'BUDGET',
    `the project may have ${what} in 24 hours: ${when}, or an administrator can raise the budget`,
  )
}

/** What costs: a run, or a search for a capacity, which is long and counts as one. */
interface Cost {
  askedAt: Date
  startedAt: Date | null
  endedAt: Date | null
  /** That it will take. */
  seconds: number
}

/** The oldest first; what was never begun has cost nothing. */
async function lastDay(projectId: number, nowMs: number): Promise<Cost[]> {
  const of = {
    askedAt: { [Op.gte]: new Date(nowMs - DAY_MS) },
    [Op.or]: [{ state: { [Op.not]: 'ended' } }, { startedAt: { [Op.not]: null } }],
  }
  const runs = await RunRow.findAll({
    where: { projectId, reported: null, ...of },
    attributes: ['askedAt', 'startedAt', 'endedAt', 'seconds'],
  })
  const searches = await CapacityRow.findAll({
    where: { projectId, ...of },
    attributes: ['askedAt', 'startedAt', 'endedAt', 'goal'],
  })
  const costs = searches.map(({ askedAt, startedAt, endedAt, goal }): Cost => {
    return { askedAt, startedAt, endedAt, seconds: goal.withinSeconds }
  })
  return [...runs, ...costs].toSorted((one, other) => one.askedAt.getTime() - other.askedAt.getTime())
}

/** What it has taken, or will. */
function minutesOf({ startedAt, endedAt, seconds }: Cost): number {
  return startedAt === null || endedAt === null ? seconds / 60 : (endedAt.getTime() - startedAt.getTime()) / 60_000
}
