// Projects and their plans.
import { Router } from 'express'
import { Op, type Order } from 'sequelize'
import { allSteps, formatValue, MOST_PLAN_BYTES, previewOf, readPlan } from '@jolt-gate/core'
import { ROUTES, type PlanSummary, type PlanText } from '@jolt-gate/core/api'
import { RehearsalRow, ProjectRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { partsOf, summaryOfRun } from '../database/run-summary.js'
import { noteOf } from '../people/audit-log.js'
import { rolesOf } from '../people/roles.js'
import { cloneProject, newProject, openProject, type Remotes } from './add.js'
import { projectOf } from './project-of.js'
import type { ProjectWatch } from './watch.js'
import { isDataPath, isReadablePath } from './paths.js'
import { fingerprint, type WorkingCopy } from './working-copy.js'

/** Runs in which the past of a plan is looked for. */
const LOOKED_BACK = 50

// eslint-disable-next-line max-lines-per-function -- one route after another
export function projectRoutes(folder: string | undefined, watch: ProjectWatch, remotes: Remotes): Router {
  const routes = Router()

  serve(routes, ROUTES.projects, async ({ person }) => {
    const rows = await ProjectRow.findAll({ order: [['name', 'ASC']] })
    const roleFor = await rolesOf(person)
    const projects = rows.flatMap(({ id, name }) => {
      const role = roleFor(id)
      return role === 'none' ? [] : [{ id, name, role }]
    })
    return { projects }
  })

  serve(routes, ROUTES.addProject, async ({ person: administrator, body: { path, clone, name } }) => {
    const project =
      path !== undefined
        ? await openProject(path)
        : clone !== undefined
          ? await cloneProject(folder, clone, remotes)
          : name !== undefined && name !== ''
            ? await newProject(folder, name, administrator)
            : undefined
    if (project === undefined) throw new Problem(400, 'BAD_FIELD', 'give a path, a clone URL or a name')
    await watch.follow()
    await noteOf(administrator, 'added a project', project.name, project.id)
    return { id: project.id, name: project.name, role: 'administrator' as const }
  })

  serve(routes, ROUTES.addFiles, async ({ person, params, body, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const files = body.files.map(({ path, text }) => ({ file: path, text, base: null }))
    const head = await copy.save({ files, message: body.message, author: person })
    await noteOf(person, 'added files', files.map(({ file }) => file).join(', '), project.id)
    return head
  })

  serve(routes, ROUTES.plans, async ({ params, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const files = (await copy.files()).filter((path) => path.endsWith('.gate.yaml'))
    const plans = await Promise.all(files.map((file) => planSummary(project.id, copy, file)))
    return { plans, ...(await copy.head()) }
  })

  serve(routes, ROUTES.plan, async ({ params, query, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const file = fileOf(query.file)
    const text = await copy.read(file)
    const where = branch === undefined ? 'in this project' : `on branch ${branch}`
    if (text === undefined) throw new Problem(404, 'NO_PLAN', `there is no plan ${file} ${where}`)
    return {
      file,
      text,
      base: fingerprint(text),
      committed: (await copy.commits.readAt(file, 'HEAD')) ?? null,
      files: await copy.companions(),
      history: await historyOf(project.id, file),
      ...(await copy.head()),
    }
  })

  serve(routes, ROUTES.data, async ({ params, query, branch }) => {
    const { copy } = await projectOf(params.project, branch)
    const file = dataFileOf(query.file)
    const text = await copy.read(file)
    if (text === undefined) throw new Problem(404, 'NO_FILE', `there is no file ${file} in this project`)
    if (text.length > MOST_PLAN_BYTES) throw new Problem(413, 'TOO_LARGE', `${file} is over 1 MB: change it with Git`)
    return { file, text, base: fingerprint(text) }
  })

  serve(routes, ROUTES.saveData, async ({ person, params, query, body: { text, base, message }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const file = dataFileOf(query.file)
    const head = await copy.save({ files: [{ file, text, base }], message, author: person })
    await noteOf(person, 'changed a data file', file, project.id)
    return { file, base: fingerprint(text), ...head }
  })

  serve(routes, ROUTES.removeFile, async ({ person, params, query: { file }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const head = await copy.remove(file, `Delete ${file}`, person)
    await noteOf(person, 'deleted a file', file, project.id)
    return head
  })

  serve(routes, ROUTES.renameFile, async ({ person, params, query, body, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const [file, to] = [fileOf(query.file), fileOf(body.to)]
    const head = await copy.rename(file, to, { message: `Rename ${file} to ${to}`, author: person })
    // Runs go along with the project's own files; on a branch beside them the old name still stands elsewhere.
    const where = { projectId: project.id, planFile: file }
    if (copy.isOwn)
      await Promise.all([RunRow.update({ planFile: to }, { where }), RehearsalRow.update({ planFile: to }, { where })])
    await noteOf(person, 'renamed a plan', `${file} to ${to}`, project.id)
    return head
  })

  serve(routes, ROUTES.savePlan, async ({ person, params, query, body: { text, base, message }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const file = fileOf(query.file)
    const head = await copy.save({ files: [{ file, text, base }], message, author: person })
    await noteOf(person, 'changed a plan', file, project.id)
    return { file, base: fingerprint(text), ...head }
  })

  return routes
}

function fileOf(value: string): string {
  if (value.endsWith('.gate.yaml') && isReadablePath(value)) return value
  throw new Problem(400, 'BAD_PATH', 'file must be the path of a *.gate.yaml file of this project')
}

function dataFileOf(value: string): string {
  if (isDataPath(value)) return value
  throw new Problem(400, 'BAD_PATH', 'file must be the path of a CSV or JSON Lines file of this project')
}

/** What earlier runs tell about the next: how long journeys take, and which loads have held against which target. */
async function historyOf(projectId: number, file: string): Promise<PlanText['history']> {
  const where = { projectId, verdict: ['open', 'shut', 'void'] }
  const newest = [['number', 'DESC']] satisfies Order
  const last = await RunRow.findOne({
    where: { ...where, planFile: file, gatesAll: { [Op.not]: null } },
    order: newest,
  })
  const result = last === null ? null : (await partsOf(last.id)).result
  const rows = await RunRow.findAll({ where: { ...where, verdict: 'open' }, order: newest, limit: LOOKED_BACK })
  return {
    journeyMs: Object.fromEntries(
      (result?.journeys ?? []).flatMap(({ name, time }) => (time === null ? [] : [[name, time.mean]])),
    ),
    observed: Object.fromEntries(
      (result?.gates ?? []).flatMap((gate) =>
        gate.observed === null ? [] : [[gate.rule, formatValue(gate.observed, gate.unit)]],
      ),
    ),
    held: rows.map(({ targetName, peakRate, mostUsers, seconds }) => ({
      ...{ peakRate, mostUsers, seconds },
      target: targetName,
    })),
  }
}

async function planSummary(projectId: number, copy: WorkingCopy, file: string): Promise<PlanSummary> {
  const text = (await copy.read(file)) ?? ''
  const { plan, problems, hasErrors } = readPlan(file, text, { files: copy.text })
  const last = await RunRow.findOne({ where: { projectId, planFile: file }, order: [['number', 'DESC']] })
  return {
    file,
    name: plan.name,
    about: plan.about,
    target: plan.target ?? null,
    journeys: plan.journeys.length,
    steps: plan.journeys
      .flatMap((journey) => [...allSteps(journey.steps)])
      .flatMap((step) => ('name' in step && step.at.file === file ? [{ name: step.name, line: step.at.line }] : []))
      .slice(0, 300),
    // A gate of each step stands once.
    gates: new Set(plan.gates.map((gate) => gate.at.line)).size,
    errors: problems.filter((problem) => problem.severity === 'error').length,
    preview: hasErrors ? null : previewOf(plan),
    lastRun: last === null ? null : summaryOfRun(last),
  }
}
