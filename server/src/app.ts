// The server put together: guard, API, pages.
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import express, { type Express } from 'express'
import helmet from 'helmet'
import { onlyOwnPages } from './http/guard.js'
import { OPENAPI } from './http/openapi.js'
import { answerProblems, noSuchRoute } from './http/problems.js'
import { projectRoutes } from './projects/routes.js'
import type { RunLine } from './runs/line.js'
import { runRoutes } from './runs/routes.js'

/** @param pages - folder of the built application; without it the server has an API alone */
export function createApp(line: RunLine, pages: string | undefined): Express {
  const app = express()
  app.disable('x-powered-by')
  app.use(onlyOwnPages)
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
        },
      },
      strictTransportSecurity: false,
    }),
  )
  const api = express.Router()
  api.use(express.json({ limit: '1.5mb' }))
  api.get('/openapi.json', (_request, response) => {
    response.json(OPENAPI)
  })
  api.use(projectRoutes())
  api.use(runRoutes(line))
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
