// Branches, a file's history with the runs made at each commit, and its earlier versions.
import { Router } from 'express'
import { object, string } from 'yup'
import { RunRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { whoMay } from '../people/access.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import { isReadablePath } from '../projects/working-copy.js'

const branchShape = object({ name: string().trim().required('a name is needed').max(200) })
const MOST_COMMITS = 200

export function gitRoutes(): Router {
  const routes = Router()

  routes.get('/projects/:project/branches', async (request, response) => {
    const { copy } = await projectOf(request.params.project)
    response.json({ branches: await copy.branches(), ...(await copy.head()) })
  })

  routes.post('/projects/:project/branches', async (request, response) => {
    const person = whoMay(request, 'write')
    const { project, copy } = await projectOf(request.params.project)
    const { name } = await branchShape.validate(request.body)
    await copy.newBranch(name)
    await noteOf(person, 'created a branch', name, project.id)
    response.status(201).json(await copy.head())
  })

  routes.put('/projects/:project/branch', async (request, response) => {
    const person = whoMay(request, 'write')
    const { project, copy } = await projectOf(request.params.project)
    const { name } = await branchShape.validate(request.body)
    await copy.switchTo(name)
    await noteOf(person, 'switched branch', name, project.id)
    response.json(await copy.head())
  })

  routes.get('/projects/:project/history', async (request, response) => {
    const { project, copy } = await projectOf(request.params.project)
    const file = readable(request.query['file'])
    const commits = await copy.history(file, MOST_COMMITS)
    const runs = await RunRow.findAll({
      where: { projectId: project.id, planFile: file },
      attributes: ['id', 'number', 'commit', 'verdict', 'dirty'],
      order: [['number', 'DESC']],
    })
    // A run belongs to the last commit of the file that its own commit holds.
    const holders = await copy.holdersOf(
      commits.map(({ commit }) => commit),
      [...new Set(runs.flatMap(({ commit }) => commit ?? []))],
    )
    response.json({
      commits: commits.map((commit) => ({
        ...commit,
        runs: runs
          .filter((run) => run.commit !== null && holders.get(run.commit) === commit.commit)
          .map(({ id, number, verdict }) => ({ id, number, verdict })),
      })),
    })
  })

  routes.get('/projects/:project/version', async (request, response) => {
    const { copy } = await projectOf(request.params.project)
    const { commit } = request.query
    if (typeof commit !== 'string' || !/^[0-9a-f]{7,64}$/.test(commit))
      throw new Problem(400, 'BAD_COMMIT', 'commit must be a commit id')
    const text = await copy.readAt(readable(request.query['file']), commit)
    if (text === undefined) throw new Problem(404, 'NO_VERSION', `the file does not exist at ${commit.slice(0, 7)}`)
    response.json({ text })
  })

  return routes
}

function readable(value: unknown): string {
  if (typeof value === 'string' && isReadablePath(value)) return value
  throw new Problem(400, 'BAD_PATH', 'file must be the path of a plan, target or shared steps of this project')
}
