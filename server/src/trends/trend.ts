// Gates and steps of a plan against a target, run by run, as the page of trends reads them.
import { measuredByRule, subjectOfRule } from '@jolt-gate/core'
import type { Trend, TrendNote, TrendPoint, TrendRun, TrendSeries } from '@jolt-gate/core/api'
import { GateRow, RunRow, StepRow, TrendNoteRow } from '../database/models.js'

const USUAL = 50
/** More series than anybody reads, and no more than an answer should carry. */
const MOST_SERIES = 400
/** Of gates and of steps each: a plan may have a thousand, over two hundred runs. */
const MOST_ROWS = 20_000
const MOST_NOTES = 1000

export interface TrendAsked {
  projectId: number
  plan: string
  target: string
  branch: string | undefined
  last: number | undefined
}

/** The latest runs that have ended, the oldest first, with the figures of each. */
export async function trendOf(asked: TrendAsked): Promise<Omit<Trend, 'baseline'>> {
  const { projectId, plan, target, branch, last = USUAL } = asked
  const where = { projectId, planFile: plan, targetName: target, ...(branch === undefined ? {} : { branch }) }
  const found = await RunRow.findAll({
    where: { ...where, state: 'ended' },
    order: [['number', 'DESC']],
    limit: last + 1,
  })
  const rows = found.slice(0, last).reverse()
  const ids = rows.map(({ id }) => id)
  const order = { where: { runId: ids }, order: [['position', 'ASC'] as [string, string]], limit: MOST_ROWS, raw: true }
  const [gates, steps, notes] = await Promise.all([
    GateRow.findAll(order),
    StepRow.findAll(order),
    TrendNoteRow.findAll({ where: { runId: ids }, order: [['id', 'ASC']], limit: MOST_NOTES }),
  ])
  return {
    runs: rows.map(lineOf),
    series: [...gateSeries(ids, gates), ...stepSeries(ids, steps)].slice(0, MOST_SERIES),
    notes: notes.map(noteLine),
    isCut: found.length > last,
  }
}

function lineOf(row: RunRow): TrendRun {
  const { id, number, verdict, commit, branch, askedAt, impact, startedBy, requests, failedShare, p95 } = row
  const line = { id, number, verdict, commit, branch, impact, startedBy, requests, failedShare, p95 }
  return { ...line, askedAt: askedAt.toISOString() }
}

export const noteLine = ({ id, runId, series, words, by, at }: TrendNoteRow): TrendNote => ({
  ...{ id, series, words, by, run: runId, at: at.toISOString() },
})

/** A gate stays the same series while only its limit is changed. */
function gateSeries(runs: readonly string[], rows: readonly GateRow[]): TrendSeries[] {
  const series = new Map<string, TrendSeries>()
  const latestFirst = rows.toSorted((one, other) => runs.indexOf(other.runId) - runs.indexOf(one.runId))
  for (const { runId, rule, unit, status, observed, limitValue, intervalLow, intervalHigh } of latestFirst) {
    const key = `${unit} ${subjectOfRule(rule) ?? rule}`
    const name = measuredByRule(rule)
    const known = series.get(key) ?? { name, kind: 'gate', rule, unit, points: runs.map(() => null) }
    series.set(key, known)
    const low = intervalLow ?? null
    known.points[runs.indexOf(runId)] ??= {
      ...{ status, low, value: observed, limit: limitValue, high: intervalHigh ?? null },
    }
  }
  return [...series.values()]
}

function stepSeries(runs: readonly string[], rows: readonly StepRow[]): TrendSeries[] {
  const series = new Map<string, TrendSeries>()
  for (const { runId, step, p95 } of rows) {
    const name = `p95 response time of ${JSON.stringify(step)}`
    const known = series.get(step) ?? { name, kind: 'step', rule: null, unit: 'ms', points: runs.map(() => null) }
    series.set(step, known)
    if (p95 !== null) known.points[runs.indexOf(runId)] = { ...NO_GATE, value: p95 }
  }
  return [...series.values()]
}

const NO_GATE: Omit<TrendPoint, 'value'> = { low: null, high: null, limit: null, status: null }
