// Marks on the time axis of a run: what happened while it lasted, by a person or a pipeline.
import type { Mark } from '@jolt-gate/core/api'
import { BucketRow, MarkRow, type RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'

const MOST_MARKS = 200

/** The marks of a run, in the order of time. */
export async function marksOf(runId: string): Promise<Mark[]> {
  const rows = await MarkRow.findAll({ where: { runId }, order: [['atMs', 'ASC']], limit: MOST_MARKS })
  return rows.map(lineOf)
}

const lineOf = ({ id, atMs, text, by }: MarkRow): Mark => ({ id, atMs, text, by })

/**
 * Puts a mark.
 *
 * @param atMs - from the start of the load; undefined for now, while the load lasts
 */
export async function addMark(run: RunRow, by: string, text: string, atMs: number | undefined): Promise<Mark> {
  if ((await MarkRow.count({ where: { runId: run.id } })) >= MOST_MARKS)
    throw new Problem(409, 'TOO_MANY', `a run has at most ${String(MOST_MARKS)} marks: remove some first`)
  const at = atMs ?? (await nowIn(run))
  return lineOf(await MarkRow.create({ runId: run.id, atMs: at, text, by: by.slice(0, 200), at: new Date() }))
}

/** The second that a live run is at. */
async function nowIn({ id, state, part }: RunRow): Promise<number> {
  if (state !== 'running' || part !== 'load')
    throw new Problem(400, 'BAD_FIELD', 'atMs is needed: the load of this run is not under way, so there is no now')
  const last: unknown = await BucketRow.max('second', { where: { runId: id } })
  return typeof last === 'number' ? 1000 * (last + 1) : 0
}

/** Removes a mark; a problem where there is none. */
export async function removeMark(runId: string, id: string): Promise<void> {
  const removed = await MarkRow.destroy({ where: { id: /^\d{1,9}$/.test(id) ? Number(id) : -1, runId } })
  if (removed === 0) throw new Problem(404, 'NO_MARK', 'there is no such mark at this run')
}
