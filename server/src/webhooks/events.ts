// What has happened in a project since a moment, told from what the database holds: so nothing is lost while the server
// is away. The same event has the same id whenever it is looked for.
import { createHash } from 'node:crypto'
import { setImmediate as turn } from 'node:timers/promises'
import { readAlarm, stageAt, type Json, type Pipeline, type StageAtChange } from '@jolt-gate/core'
import type { EventType, TrendRun, TrendSeries } from '@jolt-gate/core/api'
import { Op } from 'sequelize'
import { ProjectRow, RunRow, StageApprovalRow } from '../database/models.js'
import { changeOf, factsOf } from '../pipelines/facts.js'
import { pipelinesOf } from '../pipelines/files.js'
import { WorkingCopy } from '../projects/working-copy.js'
import { trendOf } from '../trends/trend.js'

export interface WebhookEvent {
  id: string
  type: EventType
  /** In words. */
  subject: string
  at: Date
  data: Record<string, Json>
  /** Others whose id begins so, with a number no further from its own, are the same. */
  near?: { begins: string; number: number; within: number }
}

const MOST_RUNS = 500
const MOST_CHANGES = 50
const TREND_RUNS = 50
const MOST_SERIES = 60
/** A shift is found at a run or two beside as more runs come. */
const SAME_CHANGE_RUNS = 7

/**
 * @param origin - under which people reach this server
 * @param types - what is listened for: the others are not computed
 * @param since - runs that began or ended, and approvals that were given, from then on
 * @param isTold - whether what came of a run was told already: stages and trends are dear to compute
 */
export async function eventsOf(
  projectId: number,
  origin: string,
  types: ReadonlySet<EventType>,
  since: Date,
  isTold: (run: RunRow) => boolean,
): Promise<{ happened: WebhookEvent[]; ended: RunRow[] }> {
  const page = `${origin}/p/${String(projectId)}`
  const from = { [Op.gte]: since }
  const runs = await RunRow.findAll({
    where: { projectId, [Op.or]: [{ startedAt: from }, { endedAt: from }, { heardAt: from }] },
    order: [['askedAt', 'DESC']],
    limit: MOST_RUNS,
  })
  const ended = runs.filter((row) => row.state === 'ended' && !isTold(row))
  const happened = [
    ...(types.has('run.started') ? runs.flatMap((row) => startedOf(page, row)) : []),
    ...(types.has('run.verdict') ? ended.map((row) => verdictOf(page, row)) : []),
    ...(types.has('stage.opened') || types.has('stage.shut') ? await stagesOf(page, projectId, ended, since) : []),
    ...(types.has('trend.shift') ? await trendsOf(page, projectId, ended) : []),
  ].filter(({ type }) => types.has(type))
  return { happened, ended }
}

/** When this server knew that a run had ended: a command may hand one in later. */
const endOf = ({ endedAt, heardAt, askedAt }: RunRow): Date =>
  new Date(Math.max((endedAt ?? askedAt).getTime(), heardAt?.getTime() ?? 0))

const runWords = ({ number, planName, targetName }: RunRow, what: string): string =>
  `run ${String(number)} ${what}: ${planName} against ${targetName}`

const dataOf = (page: string, row: RunRow): Record<string, Json> => ({
  project: row.projectId,
  run: { id: row.id, number: row.number, page: `${page}/runs/${row.id}` },
  plan: { file: row.planFile, name: row.planName, commit: row.planCommit ?? null },
  target: row.targetName,
  change: { commit: row.commit, branch: row.branch },
  startedBy: row.startedBy,
  labels: row.labels ?? {},
})

function startedOf(page: string, row: RunRow): WebhookEvent[] {
  if (row.startedAt === null) return []
  const at = row.startedAt
  const data = { ...dataOf(page, row), startedAt: at.toISOString() }
  return [{ id: `run.started/${row.id}`, type: 'run.started', subject: runWords(row, 'began'), at, data }]
}

function verdictOf(page: string, row: RunRow): WebhookEvent {
  const { id, verdict, reasons, impact, requests, failedShare, p95, startedAt, endedAt } = row
  return {
    // One that was taken for broken off may come back with another verdict.
    id: `run.verdict/${id}/${verdict ?? 'none'}`,
    type: 'run.verdict',
    subject: runWords(row, verdict ?? 'ended'),
    at: endOf(row),
    data: {
      ...dataOf(page, row),
      ...{ verdict, reasons, impact: impact ?? null, requests: requests ?? null, failedShare: failedShare ?? null },
      ...{ p95ResponseTimeMs: p95 ?? null },
      ...{ startedAt: startedAt?.toISOString() ?? null, endedAt: endedAt?.toISOString() ?? null },
    },
  }
}

async function stagesOf(
  page: string,
  projectId: number,
  ended: readonly RunRow[],
  since: Date,
): Promise<WebhookEvent[]> {
  const approved = await StageApprovalRow.findAll({ where: { projectId, at: { [Op.gte]: since } } })
  const commits = new Set([...ended, ...approved].flatMap(({ commit }) => commit ?? []))
  if (commits.size === 0) return []
  const project = await ProjectRow.findByPk(projectId, { rejectOnEmpty: true })
  const own = await WorkingCopy.open(project.path)
  const pipelines = (await pipelinesOf(own)).filter(({ hasErrors }) => !hasErrors)
  const found: WebhookEvent[] = []
  for (const commit of [...commits].slice(0, MOST_CHANGES))
    for (const { pipeline } of pipelines) {
      const facts = await factsOf(projectId, own, pipeline, [commit])
      const change = await changeOf(own, commit)
      for (const stage of pipeline.stages) {
        const at = stageAt(stage, change, facts.runs, facts.approvals)
        found.push(...stageEvents(page, pipeline, commit, at))
      }
    }
  return found
}

function stageEvents(page: string, pipeline: Pipeline, commit: string, at: StageAtChange): WebhookEvent[] {
  const { stage, state, plans, approval } = at
  const isShut = state === 'shut' || state === 'void' || state === 'stopped'
  if (approval === null && state !== 'open' && !isShut) return []
  const type = state === 'open' || approval !== null ? 'stage.opened' : 'stage.shut'
  const runs = plans.flatMap(({ run }) => run ?? [])
  const moments = [...runs.map(({ endedAtMs }) => endedAtMs ?? 0), approval?.atMs ?? 0]
  const of = [pipeline.file, stage, commit, state, runs.map(({ id }) => id), approval?.atMs ?? null]
  return [
    {
      id: `${type}/${fingerprint(of)}`,
      type,
      subject: `${stage} ${approval === null ? state : 'approved'}: ${pipeline.name} at ${commit.slice(0, 12)}`,
      at: new Date(Math.max(...moments)),
      data: {
        pipeline: { file: pipeline.file, name: pipeline.name, page: `${page}/pipelines` },
        ...{ stage, commit, state },
        approval:
          approval === null
            ? null
            : { by: approval.by, reason: approval.reason, at: new Date(approval.atMs).toISOString() },
        plans: plans.map(({ plan, state: ofPlan, run }) => ({
          plan: plan.file,
          target: plan.target,
          state: ofPlan,
          run: run === null ? null : { id: run.id, number: run.number, page: `${page}/runs/${run.id}` },
        })),
      },
    },
  ]
}

/** Shifts that the last runs have brought to light. */
async function trendsOf(page: string, projectId: number, ended: readonly RunRow[]): Promise<WebhookEvent[]> {
  const latest = new Map<string, RunRow>()
  for (const row of ended) {
    const key = fingerprint([row.planFile, row.targetName, row.branch])
    if ((row.verdict === 'open' || row.verdict === 'shut') && !latest.has(key)) latest.set(key, row)
  }
  const found: WebhookEvent[] = []
  for (const row of latest.values()) {
    const { planFile: plan, targetName: target, branch } = row
    const asked = { projectId, plan, target, branch: branch ?? undefined, last: TREND_RUNS }
    const { runs, series } = await trendOf(asked)
    for (const one of series.slice(0, MOST_SERIES)) {
      found.push(...changesOf(page, row, runs, one))
      // A permutation test takes its time; requests are answered between two.
      await turn()
    }
  }
  return found
}

function changesOf(page: string, row: RunRow, runs: readonly TrendRun[], series: TrendSeries): WebhookEvent[] {
  const { planFile: plan, planName, targetName: target, branch } = row
  const counts = runs.map(({ verdict }) => verdict === 'open' || verdict === 'shut')
  const change = readAlarm(
    series.points.map((point) => point?.value ?? null),
    counts,
  )
  const [last, first] = [runs[change?.last ?? -1], runs[change?.first ?? -1]]
  if (change === undefined || last === undefined || first === undefined) return []
  const between = (run: TrendRun) => ({ id: run.id, number: run.number, commit: run.commit })
  const begins = `trend.shift/${fingerprint([plan, target, branch, series.name])}/`
  const query = new URLSearchParams({ plan, target, ...(branch === null ? {} : { branch }) }).toString()
  return [
    {
      id: `${begins}${String(first.number)}`,
      near: { begins, number: first.number, within: SAME_CHANGE_RUNS },
      type: 'trend.shift',
      subject: `${series.name} of ${planName} against ${target}, from run ${String(first.number)} on`,
      at: endOf(row),
      data: {
        plan: { file: plan, name: planName },
        ...{ target, branch, series: series.name, gate: series.rule, unit: series.unit },
        ...{ before: change.before, after: change.after, p: change.p },
        lastBefore: between(last),
        firstAfter: between(first),
        page: `${page}/trend?${query}`,
      },
    },
  ]
}

const fingerprint = (of: Json): string => createHash('sha256').update(JSON.stringify(of)).digest('hex').slice(0, 32)
