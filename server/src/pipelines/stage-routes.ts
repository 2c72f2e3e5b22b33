// What people and pipelines do with a stage: run it, pause its schedule, ask for admission, open it in writing.
import { Router } from 'express'
import type { Pipeline, Stage } from '@jolt-gate/core'
import { ROUTES, type StageCell } from '@jolt-gate/core/api'
import { ScheduleRow, StageApprovalRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { admissionFor, scheduleOf } from './answers.js'
import { changeOf, factsOf, fullCommit } from './facts.js'
import { pipelineOf, stageOf } from './files.js'
import { whyOwnChange } from './hands-in.js'
import type { StageRuns } from './stage-runs.js'

export function stageRoutes(stages: StageRuns): Router {
  const routes = Router()

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
    const why = stage.isByAnother ? await whyOwnChange(person, project.id, own, commit) : undefined
    if (why !== undefined) throw new Problem(403, 'OWN_CHANGE', `another administrator may approve it: ${why}`)
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

async function admissionNow(projectId: number, own: WorkingCopy, pipeline: Pipeline, stage: Stage, given: string) {
  const commit = await fullCommit(projectId, own, given)
  const facts = await factsOf(projectId, own, pipeline, [commit])
  const answer = admissionFor(pipeline, stage, await changeOf(own, commit), facts, Date.now())
  const required = []
  for (const one of answer.required)
    required.push({ ...one, stage: { ...one.stage, plans: await withChanges(own, one.stage.plans) } })
  return { ...answer, required }
}

/** Says of each plan when it was changed last, and by whom: gates that were loosened yesterday are worth a look. */
async function withChanges(own: WorkingCopy, plans: StageCell['plans']): Promise<StageCell['plans']> {
  const told = []
  for (const plan of plans) {
    const known =
      plan.run?.planCommit == null ? undefined : await own.commits.lastChangeOf(plan.plan, plan.run.planCommit)
    told.push({ ...plan, changed: known === undefined ? null : { commit: known.commit, at: known.at, who: known.who } })
  }
  return told
}
