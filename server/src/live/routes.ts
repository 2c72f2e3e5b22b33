// One stream of server-sent events for each page that is open: what has changed, so that no page has to ask.
import { createSession } from 'better-sse'
import { Router } from 'express'
import { ROUTES } from '@jolt-gate/core/api'
import { closeWhenBehind } from '../http/backlog.js'
import { serve } from '../http/serve.js'
import { maySee, rolesOf } from '../people/roles.js'
import { fewStreams } from '../people/streams-at-once.js'
import { whenAccessEnds } from '../people/sessions.js'
import { CHANGES } from '../events/changes.js'

const BEAT_MS = 15_000

export function liveRoutes(): Router {
  const routes = Router()
  serve(
    routes,
    ROUTES.changes,
    async ({ person, request, response }) => {
      const headers = { 'x-accel-buffering': 'no' }
      const [session, roleFor] = await Promise.all([
        createSession(request, response, { keepAlive: BEAT_MS, headers }),
        rolesOf(person),
      ])
      const onQueue = () => {
        session.push({}, 'queue')
        closeWhenBehind(response)
      }
      const onProject = (project: number) => {
        if (maySee(roleFor(project))) session.push({ project }, 'project')
        closeWhenBehind(response)
      }
      CHANGES.on('queue', onQueue)
      CHANGES.on('project', onProject)
      const forget = whenAccessEnds(request, () => response.end())
      session.once('disconnected', () => {
        forget()
        CHANGES.off('queue', onQueue)
        CHANGES.off('project', onProject)
      })
      return undefined
    },
    { before: [fewStreams] },
  )
  return routes
}
