// Named sets of lanes, kept for a project; one may be what the runs of a plan open with.
import type { LaneView } from '@jolt-gate/core/api'
import { ViewRow } from '../database/models.js'
import { Problem } from '../http/problem.js'

const MOST_VIEWS = 100

const lineOf = ({ id, name, lanes, planFile, by }: ViewRow): LaneView => ({ id, name, lanes, planFile, by })

export async function viewsOf(projectId: number): Promise<LaneView[]> {
  return (await ViewRow.findAll({ where: { projectId }, order: [['name', 'ASC']], limit: MOST_VIEWS })).map(lineOf)
}

/** Keeps a set under a name; a plan opens with one set alone. */
export async function saveView(
  projectId: number,
  by: string,
  { name, lanes, planFile }: Pick<LaneView, 'name' | 'lanes' | 'planFile'>,
): Promise<LaneView> {
  const known = await ViewRow.findOne({ where: { projectId, name } })
  if (known === null && (await ViewRow.count({ where: { projectId } })) >= MOST_VIEWS)
    throw new Problem(409, 'TOO_MANY', `a project has at most ${String(MOST_VIEWS)} views: delete some first`)
  if (planFile !== null) await ViewRow.update({ planFile: null }, { where: { projectId, planFile } })
  const said = { lanes, planFile, by: by.slice(0, 200), at: new Date() }
  return lineOf(known === null ? await ViewRow.create({ projectId, name, ...said }) : await known.update(said))
}

export async function removeView(projectId: number, id: string): Promise<string> {
  const row = /^\d{1,9}$/.test(id) ? await ViewRow.findOne({ where: { id: Number(id), projectId } }) : null
  if (row === null) throw new Problem(404, 'NO_VIEW', 'there is no such view in this project')
  await row.destroy()
  return row.name
}
