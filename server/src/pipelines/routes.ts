// Pipelines: what they are, where changes stand, admission, and consent in writing.
import { Router } from 'express'
import { ROUTES } from '@jolt-gate/core/api'
import { isPipelineFile, readPipeline, type Pipeline, type Stage } from '@jolt-gate/core'
import { ScheduleRow, StageApprovalRow, StageRunRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import { isWritablePath } from '../projects/paths.js'
import { fingerprint, type WorkingCopy } from '../projects/working-copy.js'
import { pushesNamed } from '../pushes/pushes.js'
import { admissionFor, lineOf, scheduleOf, summaryOf } from './answers.js'
import { changeOf, factsOf, fullCommit, lastChanges } from './facts.js'
import { pipelineOf, pipelinesOf, readingOf } from './files.js'
import { historyOf } from './history.js'
import type { StageRuns } from './stage-runs.js'

const MOST_CHANGES = 30
const MOST_PLANS = 300

export function pipelineRoutes(stages: StageRuns): Router {
  const routes = Router()

  serve(routes, ROUTES.pipelines, async ({ params }) => ({
    pipelines: (await pipelinesOf((await projectOf(params.project)).own)).map(summaryOf),
  }))

  serve(routes, ROUTES.pipeline, async ({ params, query: { file, branch } }) => {
    const { project, own } = await projectOf(params.project)
    const reading = await readingOf(own, file)
    const { pipeline, hasErrors } = reading
    const of = { projectId: project.id, pipeline: pipeline.file }
    const schedules = []
    for (const row of await ScheduleRow.findAll({ where: of, order: [['stage', 'ASC']] }))
      if (pipeline.stages.some(({ name, begins }) => name === row.stage && begins.kind === 'schedule'))
        schedules.push(await scheduleOf(row))
    const summary = { pipeline: summaryOf(reading), branches: await own.commits.branches(), schedules }
    if (hasErrors) return { ...summary, changes: [] }
    const changes = await lastChanges(project.id, own, pipeline, branch, MOST_CHANGES)
    const commits = changes.map(({ commit }) => commit)
    const facts = await factsOf(project.id, own, pipeline, commits)
    const named = [...(await own.commits.named(commits)), ...(await pushesNamed(project.id, commits))]
    const nowMs = Date.now()
    const begun = await StageRunRow.findAll({ where: { ...of, commit: commits }, order: [['askedAt', 'DESC']] })
    const lines = []
    for (const { commit, ...more } of changes) {
      const known = named.find((line) => line.commit === commit)
      const ofChange = begun.filter((row) => row.commit === commit)
      const change = await changeOf(own, commit)
      lines.push(lineOf(pipeline, change, facts, { ...more, known, begun: ofChange, nowMs }))
    }
    return { ...summary, changes: lines }
  })

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

  serve(routes, ROUTES.stageHistory, async ({ params, query }) => {
    const { project, own } = await projectOf(params.project)
    const pipeline = await pipelineOf(own, query.pipeline)
    const entries = await historyOf(project.id, pipeline, stageOf(pipeline, query.stage))
    const named = [
      ...(await own.commits.named(entries.map(({ commit }) => commit))),
      ...(await pushesNamed(
        project.id,
        entries.map(({ commit }) => commit),
      )),
    ]
    const messageOf = (of: string) => named.find(({ commit }) => commit === of)?.message ?? null
    return {
      pipeline: pipeline.name,
      entries: entries.map((entry) => ({ ...entry, message: messageOf(entry.commit) ?? entry.message })),
    }
  })

  serve(routes, ROUTES.runStage, async ({ person, params, body, branch: asked }) => {
    const { project, own, copy } = await projectOf(params.project, asked)
    const pipeline = await pipelineOf(own, body.pipeline)
    const stage = stageOf(pipeline, body.stage)
    if (stage.begins.kind === 'admission')
      throw new Problem(409, 'ADMISSION', `the stage "${stage.name}" is an admission: it runs nothing`)
    const { commit, branch } = await copy.head()
    if (commit === null) throw new Problem(409, 'NO_COMMIT', 'this project has no commit yet')
    const row = await stages.begin({
      ...{ projectId: project.id, pipeline, stage, commit, branch: asked ?? branch },
      ...{ cause: 'hand', by: person.name },
    })
    await noteOf(person, 'ran a stage', `${stage.name} for ${commit.slice(0, 12)}`, project.id)
    const { id, state, words } = row
    return { id, stage: stage.name, commit, branch: row.branch, state, words }
  })

  serve(routes, ROUTES.pauseSchedule, async ({ person, params, body }) => {
    const { project, own } = await projectOf(params.project)
    const pipeline = await pipelineOf(own, body.pipeline)
    const where = { projectId: project.id, pipeline: pipeline.file, stage: stageOf(pipeline, body.stage).name }
    const row = await ScheduleRow.findOne({ where })
    if (row === null) throw new Problem(404, 'NO_SCHEDULE', `the stage "${body.stage}" has no schedule`)
    await row.update({ isPaused: body.isPaused })
    await noteOf(person, body.isPaused ? 'paused a schedule' : 'let a schedule continue', body.stage, project.id)
    return scheduleOf(row)
  })

  serve(routes, ROUTES.admission, async ({ params, query }) => {
    const { project, own } = await projectOf(params.project)
    const pipeline = await pipelineOf(own, query.pipeline)
    return admissionNow(project.id, own, pipeline, stageOf(pipeline, query.stage), query.commit)
  })

  serve(routes, ROUTES.approveStage, async ({ person, params, body }) => {
    const { project, own } = await projectOf(params.project)
    const pipeline = await pipelineOf(own, body.pipeline)
    const stage = stageOf(pipeline, body.stage)
    if (!stage.hasApproval)
      throw new Problem(
        409,
        'NO_APPROVAL',
        `the stage "${stage.name}" takes no approval: its file needs approval: administrator`,
      )
    const commit = await fullCommit(project.id, own, body.commit)
    const { reason } = body
    await StageApprovalRow.create({
      ...{ projectId: project.id, pipeline: pipeline.file, stage: stage.name, commit, reason },
      ...{ by: person.name, at: new Date() },
    })
    await noteOf(person, 'opened a stage', `${stage.name} for ${commit.slice(0, 12)}: ${reason}`, project.id)
    return admissionNow(project.id, own, pipeline, stage, commit)
  })

  return routes
}

function fileOf(value: string): string {
  if (isPipelineFile(value) && isWritablePath(value)) return value
  throw new Problem(400, 'BAD_PATH', 'file must be the path of a *.pipeline.yaml file of this project')
}

async function admissionNow(projectId: number, own: WorkingCopy, pipeline: Pipeline, stage: Stage, given: string) {
  const commit = await fullCommit(projectId, own, given)
  const facts = await factsOf(projectId, own, pipeline, [commit])
  return admissionFor(pipeline, stage, await changeOf(own, commit), facts, Date.now())
}

function stageOf(pipeline: Pipeline, name: string): Stage {
  const found = pipeline.stages.find((stage) => stage.name === name)
  if (found !== undefined) return found
  const known = pipeline.stages.map((stage) => stage.name)
  throw new Problem(404, 'NO_STAGE', `${pipeline.file} has no stage "${name}". Its stages: ${known.join(', ')}`)
}
