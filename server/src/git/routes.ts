// Branches, a file's history with the runs made at each commit, and its earlier versions.
import { Router } from 'express'
import { ROUTES } from '@jolt-gate/core/api'
import { RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import { readSource } from '../projects/git-over-network.js'
import type { RemoteStore } from './remotes.js'
import { isReadablePath } from '../projects/paths.js'

const MOST_COMMITS = 200

// eslint-disable-next-line max-lines-per-function -- one route after another
export function gitRoutes(remotes: RemoteStore): Router {
  const routes = Router()

  serve(routes, ROUTES.branches, async ({ params, branch }) => {
    const { copy } = await projectOf(params.project, branch)
    return { branches: await copy.commits.branches(), ...(await copy.head()) }
  })

  serve(routes, ROUTES.newBranch, async ({ person, params, body: { name }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    await copy.newBranch(name)
    await noteOf(person, 'created a branch', name, project.id)
    return { ...(await copy.head()), branch: name }
  })

  serve(routes, ROUTES.remote, async ({ params }) => remoteOf((await projectOf(params.project)).project.id))

  serve(routes, ROUTES.setRemote, async ({ person: administrator, params, body: { url } }) => {
    // As clones: it reads folders of this machine and asks its network, which one project's administrator may not.
    if (administrator.role !== 'administrator')
      throw new Problem(403, 'ROLE', 'only an administrator of the server may set a remote')
    const { project } = await projectOf(params.project)
    const source = url === '' ? undefined : readSource(url)
    if (source === undefined) await remotes.remove(project.id)
    else await remotes.write(project.id, source)
    await noteOf(administrator, 'set the remote', source?.url ?? 'none', project.id)
    return remoteOf(project.id)
  })

  serve(routes, ROUTES.pull, async ({ person, params, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const commits = await remotes.pull(project.id, copy)
    if (commits > 0) await noteOf(person, 'pulled from the remote', String((await copy.head()).branch), project.id)
    return { commits }
  })

  serve(routes, ROUTES.push, async ({ person, params, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const commits = await remotes.push(project.id, copy)
    if (commits > 0) await noteOf(person, 'pushed to the remote', String((await copy.head()).branch), project.id)
    return { commits }
  })

  const remoteOf = async (id: number) => (await remotes.of(id)) ?? { url: null, hasPassword: false }

  serve(routes, ROUTES.history, async ({ params, query, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const file = readable(query.file)
    const commits = await copy.commits.history(file, MOST_COMMITS)
    const runs = await RunRow.findAll({
      where: { projectId: project.id, planFile: file },
      attributes: ['id', 'number', 'commit', 'verdict', 'dirty'],
      order: [['number', 'DESC']],
    })
    // A run belongs to the last commit of the file that its own commit holds.
    const holders = await copy.commits.holdersOf(
      commits.map(({ commit }) => commit),
      [...new Set(runs.flatMap(({ commit }) => commit ?? []))],
    )
    return {
      commits: commits.map((commit) => ({
        ...commit,
        runs: runs
          .filter((run) => run.commit !== null && holders.get(run.commit) === commit.commit)
          .map(({ id, number, verdict }) => ({ id, number, verdict })),
      })),
    }
  })

  serve(routes, ROUTES.version, async ({ params, query: { file, commit }, branch }) => {
    const { copy } = await projectOf(params.project, branch)
    const text = await copy.commits.readAt(readable(file), commit)
    if (text === undefined) throw new Problem(404, 'NO_VERSION', `the file does not exist at ${commit.slice(0, 7)}`)
    return { text }
  })

  return routes
}

function readable(value: string): string {
  if (isReadablePath(value)) return value
  throw new Problem(400, 'BAD_PATH', 'file must be the path of a plan, target or shared steps of this project')
}
