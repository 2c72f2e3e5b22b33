// The server put together: guard, API, pages.
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import express, { type Express } from 'express'
import helmet from 'helmet'
import { capacityRoutes, lineOf } from './capacity/routes.js'
import type { CapacitySearches } from './capacity/searches.js'
import { badgeRoutes, publicBadgeRoutes } from './badges/routes.js'
import { generatorRoutes, type WatchedFleet } from './generators/routes.js'
import { gitRemote } from './git/http-backend.js'
import type { RemoteStore } from './git/remotes.js'
import { gitRoutes } from './git/routes.js'
import { figureRoutes, healthRoutes } from './health/routes.js'
import type { Readiness } from './health/readiness.js'
import { countRequests, logRequests } from './health/requests.js'
import { mergeRoutes } from './merges/routes.js'
import { signingKeyRoutes } from './merges/signing-keys.js'
import { onlyJson, onlyOwnPages } from './http/guard.js'
import { openApiOf } from './http/openapi.js'
import { answerProblems, noSuchRoute } from './http/problems.js'
import { useAccess } from './http/serve.js'
import { liveRoutes } from './live/routes.js'
import { cookieName, findVisitor, onlyPeople, whoMay } from './people/access.js'
import { accountRoutes, tokenRoutes } from './people/account-routes.js'
import { auditLogRoutes } from './people/audit-log-routes.js'
import { useIdleLimit } from './people/idle.js'
import { peopleRoutes } from './people/people-routes.js'
import { sessionRoutes, type PeopleOptions } from './people/session-routes.js'
import { isForAdmission } from './pipelines/files.js'
import { pipelineFileRoutes } from './pipelines/file-routes.js'
import { pipelineRoutes } from './pipelines/routes.js'
import { stageRoutes } from './pipelines/stage-routes.js'
import type { StageRuns } from './pipelines/stage-runs.js'
import type { ProjectWatch } from './projects/watch.js'
import { projectRoutes } from './projects/routes.js'
import { accessRoutes } from './runs/access-routes.js'
import { readingRoutes, sharedRoutes } from './runs/reading-routes.js'
import { retentionRoutes } from './runs/retention-routes.js'
import type { ReportedRuns } from './reported-runs/reported-runs.js'
import { runnerKeyRoutes } from './reported-runs/runner-keys.js'
import { reportedRoutes } from './reported-runs/routes.js'
import { rehearsalRoutes } from './rehearsals/routes.js'
import type { Rehearsals } from './rehearsals/rehearsals.js'
import type { Asker } from './runs/ask.js'
import type { RunQueue } from './runs/queue.js'
import { runRoutes } from './runs/routes.js'
import { trendRoutes } from './trends/routes.js'
import { pushRoutes, webhookRoutes } from './webhooks/routes.js'
import type { Signing } from './pushes/signing.js'
import type { Webhooks } from './webhooks/webhooks.js'
import { targetRoutes } from './targets/routes.js'
import type { SecretStore } from './targets/secrets.js'

export interface AppOptions extends PeopleOptions {
  readiness: Readiness
  rehearsals: Rehearsals
  queue: RunQueue
  reported: ReportedRuns
  ask: Asker
  stages: StageRuns
  searches: CapacitySearches
  webhooks: Webhooks
  signing: Signing
  watch: ProjectWatch
  secrets: SecretStore
  remotes: RemoteStore
  /** That makes the load of plans with places; undefined where there is none. */
  fleet: WatchedFleet | undefined
  /** Folder of the built application; without it the server has an API alone. */
  pages: string | undefined
  /** Where new and cloned projects go. */
  projectsFolder: string | undefined
  /** Further names under which people reach this server. */
  hosts: readonly string[]
  /** Whether a proxy before this server says where requests come from. */
  isBehindProxy: boolean
  /** How long a session may rest; undefined for as long as it lasts. */
  idleMs: number | undefined
}

const HSTS_SECONDS = 365 * 86_400

// eslint-disable-next-line max-lines-per-function -- all that the server is put together from
export function createApp(options: AppOptions): Express {
  const { readiness, queue, reported, ask, secrets, remotes, pages, projectsFolder, hosts, isBehindProxy } = options
  const app = express()
  app.disable('x-powered-by')
  useAccess(app, whoMay)
  if (options.idleMs !== undefined) useIdleLimit(app, options.idleMs)
  app.set('trust proxy', isBehindProxy ? 1 : false)
  app.use(healthRoutes(readiness))
  app.use(logRequests, countRequests)
  app.use(onlyOwnPages(hosts))
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          fontSrc: ["'self'", 'data:'],
          workerSrc: ["'self'", 'blob:'],
          objectSrc: ["'none'"],
          frameAncestors: ["'none'"],
          formAction: ["'self'"],
          baseUri: ["'none'"],
        },
      },
      // Beyond loopback there is TLS, and a browser that has seen it asks for nothing else.
      strictTransportSecurity: options.isSecure ? { maxAge: HSTS_SECONDS, includeSubDomains: false } : false,
    }),
  )
  app.use('/git', gitRemote)
  app.use(figureRoutes(queue, readiness))
  const api = express.Router()
  api.use(onlyJson)
  const description = openApiOf(cookieName(false))
  api.get('/openapi.json', (_request, response) => {
    response.json(description)
  })
  api.use(findVisitor)
  api.use(sharedRoutes(queue, reported))
  api.use(pushRoutes(options.signing))
  api.use(publicBadgeRoutes())
  api.use(sessionRoutes(options))
  // What follows only people may ask.
  api.use(onlyPeople)
  api.use(accountRoutes(), tokenRoutes(), peopleRoutes(), auditLogRoutes())
  api.use(projectRoutes(projectsFolder, options.watch, remotes))
  api.use(mergeRoutes(), signingKeyRoutes())
  api.use(gitRoutes(remotes))
  api.use(targetRoutes(secrets))
  api.use(rehearsalRoutes(secrets, options.rehearsals))
  api.use(runRoutes(queue, ask, reported, (isShown) => options.searches.list(isShown).map(lineOf)))
  api.use(capacityRoutes(options.searches, ask))
  api.use(reportedRoutes(reported), runnerKeyRoutes())
  api.use(trendRoutes(isForAdmission))
  api.use(pipelineRoutes())
  api.use(pipelineFileRoutes())
  api.use(stageRoutes(options.stages))
  api.use(webhookRoutes(options.webhooks, options.signing))
  api.use(badgeRoutes())
  api.use(readingRoutes(queue), accessRoutes())
  api.use(retentionRoutes())
  api.use(generatorRoutes(options.fleet))
  api.use(liveRoutes())
  api.use(noSuchRoute)
  app.use('/api', api)
  if (pages !== undefined && existsSync(pages)) {
    app.use(express.static(pages, { index: false }))
    app.get('/{*page}', (_request, response) => {
      response.sendFile(join(pages, 'index.html'))
    })
  }
  app.use(answerProblems)
  return app
}
