// Trends of a plan against a target, what people say of their changes, and the runs that others are held to.
import { Router, type Request } from 'express'
import { ROUTES } from '@jolt-gate/core/api'
import { TrendNoteRow, type RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { whoMay } from '../people/access.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { runOf } from '../runs/store.js'
import { baselineLine, keepBaseline, removeBaseline } from '../runs/baselines.js'
import { noteLine, trendOf } from './trend.js'

/** @param isForAdmission - whether an admission stands on a plan */
export function trendRoutes(isForAdmission: (own: WorkingCopy, planFile: string) => Promise<boolean>): Router {
  const routes = Router()

  /** The baseline of a plan and target, as the default branch of the project has it. */
  async function baselineIn(id: string, { plan, target, branch }: { plan: string; target: string; branch?: string }) {
    const { project, copy } = await projectOf(id)
    const defaultBranch = (await copy.head()).branch
    const asked = { projectId: project.id, plan, target, branch: branch ?? defaultBranch, defaultBranch }
    return { project, baseline: await baselineLine(asked) }
  }

  /** What a change is held to, before it may go on, is no matter of its author alone. */
  const refuseUnlessFree = async (request: Request, { projectId, madeFile }: RunRow): Promise<void> => {
    const { own } = await projectOf(String(projectId))
    if (await isForAdmission(own, madeFile)) await whoMay(request, 'admin', projectId)
  }

  serve(routes, ROUTES.trend, async ({ params, query: { plan, target, branch, last } }) => {
    const { project, baseline } = await baselineIn(params.project, { plan, target, ...(branch ? { branch } : {}) })
    return { ...(await trendOf({ projectId: project.id, plan, target, branch, last })), baseline }
  })

  serve(routes, ROUTES.baseline, async ({ params, query: { plan, target, branch } }) => {
    const { baseline } = await baselineIn(params.project, { plan, target, ...(branch ? { branch } : {}) })
    return { baseline }
  })

  serve(routes, ROUTES.keepBaseline, async ({ person, params, request }) => {
    const row = await runOf(params.run)
    await refuseUnlessFree(request, row)
    const line = await keepBaseline(row, person.name)
    const of = `run ${String(row.number)} of ${row.planName} against ${row.targetName} on ${row.branch ?? 'no branch'}`
    await noteOf(person, 'kept a baseline', of, row.projectId)
    return line
  })

  serve(routes, ROUTES.removeBaseline, async ({ person, params, request }) => {
    const row = await runOf(params.run)
    await refuseUnlessFree(request, row)
    if (!(await removeBaseline(row.id))) throw new Problem(404, 'NOT_KEPT', 'the run is not kept as a baseline')
    await noteOf(person, 'removed a baseline', `run ${String(row.number)} of ${row.planName}`, row.projectId)
    return undefined
  })

  serve(routes, ROUTES.addTrendNote, async ({ person, params, body: { series, words } }) => {
    const row = await runOf(params.run)
    const note = await TrendNoteRow.create({ runId: row.id, series, words, by: person.name, at: new Date() })
    await noteOf(person, 'acknowledged a change', `${series}, from run ${String(row.number)}: ${words}`, row.projectId)
    return noteLine(note)
  })

  serve(routes, ROUTES.removeTrendNote, async ({ person, params }) => {
    const row = await runOf(params.run)
    const id = /^\d{1,9}$/.test(params.note) ? Number(params.note) : -1
    const removed = await TrendNoteRow.destroy({ where: { id, runId: row.id } })
    if (removed === 0) throw new Problem(404, 'NO_NOTE', 'there is no such note at this run')
    await noteOf(person, 'took back an acknowledgement', `from run ${String(row.number)}`, row.projectId)
    return undefined
  })

  return routes
}
