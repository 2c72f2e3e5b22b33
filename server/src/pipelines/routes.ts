// Pipelines: what they are, and where changes stand.
import { Router } from 'express'
import { ROUTES } from '@jolt-gate/core/api'
import { ScheduleRow, StageRunRow } from '../database/models.js'
import { serve } from '../http/serve.js'
import { projectOf } from '../projects/project-of.js'
import { pushesNamed } from '../pushes/pushes.js'
import { lineOf, scheduleOf, summaryOf } from './answers.js'
import { changeOf, factsOf, lastChanges } from './facts.js'
import { pipelineOf, pipelinesOf, readingOf, stageOf } from './files.js'
import { historyOf } from './history.js'

const MOST_CHANGES = 30

export function pipelineRoutes(): Router {
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

  return routes
}
