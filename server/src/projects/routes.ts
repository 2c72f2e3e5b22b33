// Projects, their plans and their targets.
import { basename } from 'node:path'
import { Router } from 'express'
import { object, string } from 'yup'
import { nameOfTargetFile, previewOf, readPlan, readTarget } from '@jolt-gate/core'
import { ProjectRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { summaryOfRun } from '../runs/store.js'
import { fingerprint, isReadablePath, WorkingCopy } from './working-copy.js'

const openShape = object({ path: string().required('path is needed').max(700) })
const saveShape = object({
  text: string().defined('text is needed').max(1_000_000),
  message: string().trim().required('a message is needed: say why the plan changes').max(2000),
  author: object({
    name: string()
      .trim()
      .required('the author’s name is needed')
      .max(100)
      .matches(/^[^<>\n]+$/, 'a name holds no < or >'),
    email: string()
      .trim()
      .required('the author’s e-mail is needed')
      .max(200)
      .matches(/^[^<>\s]+@[^<>\s]+$/, 'that is no e-mail address'),
  }).required(),
  base: string().nullable().default(null),
})

/** Runs in which the past of a plan is looked for. */
const LOOKED_BACK = 50

export function projectRoutes(): Router {
  const routes = Router()

  routes.get('/projects', async (_request, response) => {
    const rows = await ProjectRow.findAll({ order: [['name', 'ASC']] })
    response.json({ projects: rows.map(({ id, name }) => ({ id, name })) })
  })

  routes.post('/projects', async (request, response) => {
    const { path } = await openShape.validate(request.body)
    const project = await openProject(path)
    response.status(201).json({ id: project.id, name: project.name })
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
      files: await copy.companions(),
      history: await historyOf(project.id, file),
      ...(await copy.head()),
    })
  })

  routes.put('/projects/:project/plan', async (request, response) => {
    const { copy } = await projectOf(request.params.project)
    const file = fileOf(request.query['file'])
    const change = await saveShape.validate(request.body)
    const head = await copy.save({ file, ...change })
    response.json({ file, base: fingerprint(change.text), ...head })
  })

  routes.get('/projects/:project/targets', async (request, response) => {
    const { copy } = await projectOf(request.params.project)
    const companions = Object.entries(await copy.companions()).filter(([path]) =>
      /^targets\/[^/]+\.target\.yaml$/.test(path),
    )
    response.json({
      targets: companions.map(([file, text]) => {
        const { target, problems } = readTarget(file, text)
        return {
          name: nameOfTargetFile(file),
          file,
          origin: target?.origin ?? null,
          secrets: target?.secrets ?? [],
          problems,
        }
      }),
    })
  })

  return routes
}

/** Adds a working copy to the projects, or finds it there. */
export async function openProject(path: string): Promise<ProjectRow> {
  const { root } = await WorkingCopy.open(path)
  const [project] = await ProjectRow.findOrCreate({
    where: { path: root },
    defaults: { path: root, name: basename(root) },
  })
  return project
}

/** A project by the number in its address. */
export async function projectOf(id: string): Promise<{ project: ProjectRow; copy: WorkingCopy }> {
  const project = /^\d{1,9}$/.test(id) ? await ProjectRow.findByPk(Number(id)) : null
  if (project === null) throw new Problem(404, 'NO_PROJECT', `there is no project ${id}`)
  return { project, copy: await WorkingCopy.open(project.path) }
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
    // A gate of each step stands once.
    gates: new Set(plan.gates.map((gate) => gate.at.line)).size,
    errors: problems.filter((problem) => problem.severity === 'error').length,
    preview: hasErrors ? null : previewOf(plan),
    lastRun: last === null ? null : summaryOfRun(last),
  }
}
