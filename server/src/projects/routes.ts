// Projects and their plans.
import { Router } from 'express'
import { array, object, string } from 'yup'
import { allSteps, formatValue, previewOf, readPlan } from '@jolt-gate/core'
import { ProjectRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { summaryOfRun } from '../runs/store.js'
import { whoMay } from '../people/access.js'
import { noteOf } from '../people/audit-log.js'
import { cloneProject, newProject, openProject } from './add.js'
import { projectOf } from './project-of.js'
import { message, saveShape } from './save-shape.js'
import { fingerprint, isReadablePath, type WorkingCopy } from './working-copy.js'

const projectShape = object({
  /** A folder that is there, a clone's source, or the name of an empty project: one of them. */
  path: string().trim().max(700).optional(),
  clone: string().trim().max(700).optional(),
  name: string().trim().max(100).optional(),
})
const importShape = object({
  files: array()
    .of(object({ path: string().required().max(500), text: string().defined().max(8_000_000) }))
    .min(1, 'there is nothing to save')
    .max(20)
    .required(),
  message,
})

/** Runs in which the past of a plan is looked for. */
const LOOKED_BACK = 50

export function projectRoutes(folder: string | undefined): Router {
  const routes = Router()

  routes.get('/projects', async (_request, response) => {
    const rows = await ProjectRow.findAll({ order: [['name', 'ASC']] })
    response.json({ projects: rows.map(({ id, name }) => ({ id, name })) })
  })

  routes.post('/projects', async (request, response) => {
    const administrator = whoMay(request, 'admin')
    const { path, clone, name } = await projectShape.validate(request.body)
    const project =
      path !== undefined
        ? await openProject(path)
        : clone !== undefined
          ? await cloneProject(folder, clone)
          : name !== undefined && name !== ''
            ? await newProject(folder, name, administrator)
            : undefined
    if (project === undefined) throw new Problem(400, 'BAD_FIELD', 'give a path, a clone URL or a name')
    await noteOf(administrator, 'added a project', project.name, project.id)
    response.status(201).json({ id: project.id, name: project.name })
  })

  // What an import made: several files in one commit, none of them written over.
  routes.post('/projects/:project/files', async (request, response) => {
    const person = whoMay(request, 'write')
    const { project, copy } = await projectOf(request.params.project)
    const asked = await importShape.validate(request.body)
    const files = asked.files.map(({ path, text }) => ({ file: path, text, base: null }))
    const head = await copy.save({ files, message: asked.message, author: person })
    await noteOf(person, 'added files', files.map(({ file }) => file).join(', '), project.id)
    response.status(201).json(head)
  })

  routes.get('/projects/:project/plans', async (request, response) => {
    const { project, copy } = await projectOf(request.params.project)
    const files = (await copy.files()).filter((path) => path.endsWith('.gate.yaml'))
    const plans = await Promise.all(files.map((file) => planSummary(project.id, copy, file)))
    response.json({ plans, ...(await copy.head()) })
  })

  routes.get('/projects/:project/plan', async (request, response) => {
    const { project, copy } = await projectOf(request.params.project)
    const file = fileOf(request.query['file'])
    const text = await copy.read(file)
    if (text === undefined) throw new Problem(404, 'NO_PLAN', `there is no plan ${file} in this project`)
    response.json({
      file,
      text,
      base: fingerprint(text),
      committed: (await copy.readAt(file, 'HEAD')) ?? null,
      files: await copy.companions(),
      history: await historyOf(project.id, file),
      ...(await copy.head()),
    })
  })

  routes.put('/projects/:project/plan', async (request, response) => {
    const person = whoMay(request, 'write')
    const { project, copy } = await projectOf(request.params.project)
    const file = fileOf(request.query['file'])
    const { text, base, message: why } = await saveShape.validate(request.body)
    const head = await copy.save({ files: [{ file, text, base }], message: why, author: person })
    await noteOf(person, 'changed a plan', file, project.id)
    response.json({ file, base: fingerprint(text), ...head })
  })

  return routes
}

function fileOf(value: unknown): string {
  if (typeof value === 'string' && value.endsWith('.gate.yaml') && isReadablePath(value)) return value
  throw new Problem(400, 'BAD_PATH', 'file must be the path of a *.gate.yaml file of this project')
}

/** What earlier runs tell about the next: how long journeys take, and which loads have held against which target. */
async function historyOf(projectId: number, file: string) {
  const rows = await RunRow.findAll({
    where: { projectId, verdict: ['open', 'shut', 'void'] },
    order: [['number', 'DESC']],
    limit: LOOKED_BACK,
  })
  const last = rows.find((row) => row.planFile === file && row.result !== null)?.result
  return {
    journeyMs: Object.fromEntries(
      (last?.journeys ?? []).flatMap(({ name, time }) => (time === null ? [] : [[name, time.mean]])),
    ),
    observed: Object.fromEntries(
      (last?.gates ?? []).flatMap((gate) =>
        gate.observed === null ? [] : [[gate.rule, formatValue(gate.observed, gate.unit)]],
      ),
    ),
    held: rows.flatMap((row) => {
      if (row.verdict !== 'open' || row.result === null) return []
      const { peakRate, mostUsers, seconds } = previewOf(row.plan)
      return [{ target: row.targetName, peakRate, mostUsers, seconds }]
    }),
  }
}

async function planSummary(projectId: number, copy: WorkingCopy, file: string) {
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
