// The file of a pipeline, as people read and write it on a page.
import { Router } from 'express'
import { isPipelineFile, readPipeline } from '@jolt-gate/core'
import { ROUTES } from '@jolt-gate/core/api'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { isWritablePath } from '../projects/paths.js'
import { projectOf } from '../projects/project-of.js'
import { fingerprint } from '../projects/working-copy.js'

const MOST_PLANS = 300

export function pipelineFileRoutes(): Router {
  const routes = Router()

  serve(routes, ROUTES.pipelineText, async ({ params, query, branch }) => {
    const { copy } = await projectOf(params.project, branch)
    const file = fileOf(query.file)
    const text = await copy.read(file)
    const files = await copy.companions()
    const plans = (await copy.files()).filter((path) => path.endsWith('.gate.yaml'))
    for (const path of plans.slice(0, MOST_PLANS)) files[path] = (await copy.read(path)) ?? ''
    const base = text === undefined ? null : fingerprint(text)
    return { file, text: text ?? null, base, files, ...(await copy.head()) }
  })

  serve(routes, ROUTES.savePipeline, async ({ person, params, query, body: { text, base, message }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const file = fileOf(query.file)
    const { problems, hasErrors } = readPipeline(file, text, copy.text)
    const first = problems.find(({ severity }) => severity === 'error')
    if (hasErrors && first !== undefined)
      throw new Problem(422, 'PIPELINE', `${file}:${String(first.line)}: ${first.message}`, { problems })
    const head = await copy.save({ files: [{ file, text, base }], message, author: person })
    await noteOf(person, 'changed a pipeline', file, project.id)
    return { file, base: fingerprint(text), ...head }
  })

  return routes
}

function fileOf(value: string): string {
  if (isPipelineFile(value) && isWritablePath(value)) return value
  throw new Problem(400, 'BAD_PATH', 'file must be the path of a *.pipeline.yaml file of this project')
}
