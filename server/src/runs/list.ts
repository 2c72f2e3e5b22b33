// The list of a project's runs: filtered, searched and paged by the database, and what is deleted from it.
import { labelsWritten } from '@jolt-gate/core'
import type { RunFilter, RunSummary } from '@jolt-gate/core/api'
import { col, fn, Op, type Order, type WhereOptions } from 'sequelize'
import { BaselineRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { summaryOfRun } from '../database/run-summary.js'

const PAGE_SIZE = 50
const MOST_CHOICES = 500
/** Labels are looked for in so many of the last runs. */
const MOST_LABELLED = 500
const DAY_MS = 86_400_000

export async function listRuns(
  projectId: number,
  filter: RunFilter,
): Promise<{ runs: RunSummary[]; total: number; pageSize: number }> {
  const where = whereOf(projectId, filter)
  const offset = ((filter.page ?? 1) - 1) * PAGE_SIZE
  const direction = filter.direction === 'up' ? 'ASC' : 'DESC'
  const order: Order = [
    [filter.sort ?? 'number', direction],
    ['number', 'DESC'],
  ]
  // The numbers come from an index alone; the rows themselves, with their pictures, are read for one page.
  const [total, found] = await Promise.all([
    RunRow.count({ where }),
    RunRow.findAll({ where, attributes: ['id'], order, limit: PAGE_SIZE, offset }),
  ])
  const rows = await RunRow.findAll({ where: { id: found.map(({ id }) => id) }, order })
  return { runs: rows.map(summaryOfRun), total, pageSize: PAGE_SIZE }
}

function whereOf(
  projectId: number,
  { plan, target, branch, verdict, search, from, to, before }: RunFilter,
): WhereOptions {
  const begin = from === undefined ? [] : [{ [Op.gte]: new Date(from) }]
  const end = to === undefined ? [] : [{ [Op.lt]: new Date(Date.parse(to) + DAY_MS) }]
  const words = (search ?? '').toLowerCase().split(/\s+/).filter(Boolean).slice(0, 10)
  return {
    projectId,
    ...(plan === undefined ? {} : { planFile: plan }),
    ...(target === undefined ? {} : { targetName: target }),
    ...(branch === undefined ? {} : { branch }),
    ...(verdict === undefined ? {} : { verdict }),
    ...(before === undefined ? {} : { number: { [Op.lt]: before } }),
    ...(begin.length + end.length === 0 ? {} : { askedAt: { [Op.and]: [...begin, ...end] } }),
    ...(words.length === 0
      ? {}
      : {
          [Op.and]: words.map((word) => ({
            searched: { [Op.like]: `%${word.replaceAll(/[\\%_]/g, String.raw`\$&`)}%` },
          })),
        }),
  }
}

/** What the runs of a project can be filtered by. */
export async function choicesOf(
  projectId: number,
): Promise<{ plans: string[]; targets: string[]; branches: string[]; labels: string[] }> {
  const distinct = async (field: 'planFile' | 'targetName' | 'branch', column: string) => {
    const rows = await RunRow.findAll({
      where: { projectId },
      attributes: [[fn('DISTINCT', col(column)), field]],
      order: [[field, 'ASC']],
      limit: MOST_CHOICES,
    })
    return rows.flatMap((row) => row[field] ?? [])
  }
  const [plans, targets, branches, labelled] = await Promise.all([
    distinct('planFile', 'plan_file'),
    distinct('targetName', 'target_name'),
    distinct('branch', 'branch'),
    RunRow.findAll({
      where: { projectId },
      attributes: ['labels'],
      order: [['number', 'DESC']],
      limit: MOST_LABELLED,
    }),
  ])
  const labels = new Set(labelled.flatMap((row) => labelsWritten(row.labels ?? {})))
  return { plans, targets, branches, labels: [...labels].sort().slice(0, MOST_CHOICES) }
}

/** Deletes runs that have ended; returns their numbers. What belongs to them goes with them, by the database. */
export async function deleteRuns(projectId: number, ids: readonly string[]): Promise<number[]> {
  const rows = await RunRow.findAll({ where: { projectId, id: [...ids] }, attributes: ['id', 'number', 'state'] })
  const going = rows.find(({ state }) => state !== 'ended')
  if (going !== undefined)
    throw new Problem(409, 'GOING', `run ${String(going.number)} has not ended: stop it first; nothing was deleted`)
  const kept = await BaselineRow.findOne({ where: { runId: rows.map(({ id }) => id) } })
  if (kept !== null) {
    const number = String(rows.find(({ id }) => id === kept.runId)?.number ?? '')
    throw new Problem(409, 'KEPT', `run ${number} is kept as a baseline: remove that first; nothing was deleted`)
  }
  await RunRow.destroy({ where: { id: rows.map(({ id }) => id) } })
  return rows.map(({ number }) => number)
}
