// Runs: asked for, listed, watched, stopped, and their reports.
import { Router } from 'express'
import { ROUTES, type CapacityLine } from '@jolt-gate/core/api'
import { readLabel, reportOf, type RunResult } from '@jolt-gate/core'
import type { ProjectRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { fewStreams } from '../people/streams-at-once.js'
import { whenAccessEnds } from '../people/sessions.js'
import { maySee, rolesOf } from '../people/roles.js'
import { projectOf } from '../projects/project-of.js'
import type { Asker } from './ask.js'
import { budgetOf, spentBy } from './budget.js'
import { detailOf } from './detail.js'
import { choicesOf, deleteRuns, listRuns } from './list.js'
import type { RunQueue } from './queue.js'
import { askOnce, runAskedAs, untilEnded } from './start.js'
import { describeRun, runOf } from './store.js'
import { partsOf, summaryOfRun } from '../database/run-summary.js'
import { streamRun, type RunsElsewhere } from './stream.js'

/** Searches for a capacity that go or wait: they take turns with runs. */
export type Searching = (isShown: (projectId: number) => boolean) => CapacityLine[]

// eslint-disable-next-line max-lines-per-function -- one route after another
export function runRoutes(queue: RunQueue, ask: Asker, reported: RunsElsewhere, searching: Searching): Router {
  const routes = Router()

  serve(routes, ROUTES.queue, async ({ person }) => {
    const roleFor = await rolesOf(person)
    const isShown = (projectId: number) => maySee(roleFor(projectId))
    return { runs: queue.list(isShown), searches: searching(isShown) }
  })

  serve(routes, ROUTES.startRun, async ({ person, params, query, body, branch, request, response }) => {
    const key = request.get('idempotency-key')
    const { project } = await projectOf(params.project)
    let row = await runAskedAs(project.id, key, body.plan)
    if (row === undefined) {
      const asked = await ask(params.project, body.plan, body.target, branch)
      await asked.permit()
      row = await askOnce(queue, asked, person.name, { labels: labelsOf(body.labels ?? []), key })
      await noteOf(person, 'started a run', `${asked.plan.name} against ${asked.target.name}`, asked.projectId)
    }
    response.location(`/api/runs/${row.id}`)
    if (query.wait !== undefined) {
      const gone = new AbortController()
      response.once('close', () => {
        gone.abort()
      })
      await untilEnded(queue, row, gone.signal)
    }
    return summaryOfRun(row)
  })

  serve(routes, ROUTES.runs, async ({ params, query }) => {
    const { project } = await projectOf(params.project)
    return listRuns(project.id, query)
  })

  serve(routes, ROUTES.runChoices, async ({ params }) => choicesOf((await projectOf(params.project)).project.id))

  serve(routes, ROUTES.deleteRuns, async ({ person: administrator, params, body: { runs } }) => {
    const { project } = await projectOf(params.project)
    const deleted = await deleteRuns(project.id, runs)
    await noteOf(administrator, 'deleted runs', deleted.map((number) => `run ${String(number)}`).join(', '), project.id)
    return { deleted: deleted.length }
  })

  serve(routes, ROUTES.run, async ({ params }) => detailOf(await runOf(params.run)))

  serve(routes, ROUTES.describeRun, async ({ person, params, body: { note, labels } }) => {
    const row = await runOf(params.run)
    await describeRun(row, labelsOf(labels), note)
    await noteOf(person, 'described a run', `run ${String(row.number)} of ${row.planName}`, row.projectId)
    queue.emit(row.id, { kind: 'changed' })
    return summaryOfRun(row)
  })

  serve(
    routes,
    ROUTES.runStream,
    async ({ params, request, response }) => {
      const { id: runId } = await runOf(params.run)
      await streamRun(request, response, {
        ...{ runId, queue, reported },
        whenOver: (end) => whenAccessEnds(request, end),
      })
      return undefined
    },
    { before: [fewStreams] },
  )

  serve(routes, ROUTES.stopRun, async ({ person, params }) => {
    const row = await runOf(params.run)
    if (row.reported !== null && row.state !== 'ended')
      throw new Problem(409, 'ELSEWHERE', 'this run is made by the command, elsewhere: stop it there')
    if (!(await queue.stop(row.id, `${person.name} in the application`)))
      throw new Problem(409, 'ENDED', 'the run has ended already')
    return { stopping: true }
  })

  serve(routes, ROUTES.runResult, ({ params }) => resultOfRun(params.run))
  serve(routes, ROUTES.runJunit, async ({ params }) => reportOf('junit', await resultOfRun(params.run)))
  // A report has scripts of its own: it is saved, and never a page of this origin.
  serve(routes, ROUTES.runHtml, async ({ params, response }) => {
    response.attachment('report.html')
    return reportOf('html', await resultOfRun(params.run))
  })
  serve(routes, ROUTES.runCsv, async ({ params, response }) => {
    response.attachment('series.csv')
    return reportOf('csv', await resultOfRun(params.run))
  })
  serve(routes, ROUTES.runMarkdown, async ({ params }) => reportOf('markdown', await resultOfRun(params.run)))

  const budgetNow = async (project: ProjectRow) => ({ budget: budgetOf(project), spent: await spentBy(project.id) })
  serve(routes, ROUTES.budget, async ({ params }) => budgetNow((await projectOf(params.project)).project))

  serve(routes, ROUTES.setBudget, async ({ person, params, body: { runsADay, minutesADay } }) => {
    const { project } = await projectOf(params.project)
    await project.update({ mostRunsADay: runsADay, mostMinutesADay: minutesADay })
    const words = [
      runsADay === null ? 'any runs' : `${String(runsADay)} runs`,
      minutesADay === null ? 'any minutes' : `${String(minutesADay)} minutes`,
    ]
    await noteOf(person, 'set the budget', `${words.join(' and ')} a day`, project.id)
    return budgetNow(project)
  })

  return routes
}

const labelsOf = (written: readonly string[]): Record<string, string> =>
  Object.fromEntries(written.flatMap((pair) => [readLabel(pair)].filter((label) => label !== undefined)))

async function resultOfRun(id: string): Promise<RunResult> {
  const { result } = await partsOf((await runOf(id)).id)
  if (result === null) throw new Problem(404, 'NO_RESULT', 'this run has no result yet')
  return result
}
