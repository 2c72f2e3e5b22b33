// Reading together: marks, links that share a run, and sets of lanes.
import { Router } from 'express'
import { ROUTES } from '@jolt-gate/core/api'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import { detailOf } from './detail.js'
import type { RunQueue } from './queue.js'
import { runOf } from './store.js'
import { streamRun, type RunsElsewhere } from './stream.js'
import { addMark, removeMark } from './marks.js'
import { revokeShare, sharedBy, shareRun, sharesOf, whenShareEnds } from './shares.js'
import { removeView, saveView, viewsOf } from './views.js'

/** What a shared link opens, to the one who has it: asked before anyone is asked who they are. */
export function sharedRoutes(queue: RunQueue, reported: RunsElsewhere): Router {
  const routes = Router()
  serve(routes, ROUTES.sharedRun, async ({ params }) => detailOf((await sharedBy(params.token)).run))
  serve(routes, ROUTES.sharedStream, async ({ params, request, response }) => {
    const { run, share } = await sharedBy(params.token)
    await streamRun(request, response, {
      ...{ runId: run.id, queue, reported },
      whenOver: (end) => whenShareEnds(share, end),
    })
    return undefined
  })
  return routes
}

export function readingRoutes(queue: RunQueue): Router {
  const routes = Router()

  serve(routes, ROUTES.addMark, async ({ person, params, body: { text, atMs } }) => {
    const run = await runOf(params.run)
    const mark = await addMark(run, person.name, text, atMs)
    await noteOf(person, 'put a mark', `run ${String(run.number)}: ${text}`, run.projectId)
    queue.emit(run.id, { kind: 'changed' })
    return mark
  })
  serve(routes, ROUTES.removeMark, async ({ person, params }) => {
    const run = await runOf(params.run)
    await removeMark(run.id, params.mark)
    await noteOf(person, 'removed a mark', `run ${String(run.number)}`, run.projectId)
    queue.emit(run.id, { kind: 'changed' })
    return undefined
  })

  serve(routes, ROUTES.shares, async ({ params }) => ({ shares: await sharesOf((await runOf(params.run)).id) }))
  serve(routes, ROUTES.share, async ({ person, params, body: { days } }) => {
    const run = await runOf(params.run)
    const share = await shareRun(run.id, person.name, days)
    await noteOf(person, 'shared a run', `run ${String(run.number)} until ${share.until.slice(0, 10)}`, run.projectId)
    return share
  })
  serve(routes, ROUTES.revokeShare, async ({ person, params }) => {
    const run = await runOf(params.run)
    await revokeShare(run.id, params.share)
    await noteOf(person, 'ended a shared link', `run ${String(run.number)}`, run.projectId)
    return undefined
  })
  serve(routes, ROUTES.views, async ({ params }) => ({
    views: await viewsOf((await projectOf(params.project)).project.id),
  }))
  serve(routes, ROUTES.saveView, async ({ person, params, body }) => {
    const { project } = await projectOf(params.project)
    const view = await saveView(project.id, person.name, body)
    await noteOf(person, 'kept a view', view.name, project.id)
    return view
  })
  serve(routes, ROUTES.removeView, async ({ person, params }) => {
    const { project } = await projectOf(params.project)
    await noteOf(person, 'deleted a view', await removeView(project.id, params.view), project.id)
    return undefined
  })

  return routes
}
