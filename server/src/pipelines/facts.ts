// What is known of changes: the runs made for them, and consents in writing.
import type { Approval, ChangeUnderTest, Pipeline, StageRun } from '@jolt-gate/core'
import { Op, fn, col } from 'sequelize'
import { PushRow, StageApprovalRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { askFitnessAgain } from '../runs/fitness.js'

/** Of each question, the latest. */
const MOST_RUNS = 2000
const MOST_ANCESTORS = 5000

export interface Facts {
  runs: StageRun[]
  approvals: Approval[]
  /** What commits of other repositories are about, by commit: the label "message" of their latest run. */
  messages: ReadonlyMap<string, string>
}

/** The runs of a pipeline's plans that may count for some changes: their own, and of scheduled stages all. */
export async function factsOf(
  projectId: number,
  own: WorkingCopy,
  pipeline: Pipeline,
  commits: readonly string[],
): Promise<Facts> {
  const plansOf = (isScheduled: boolean) =>
    pipeline.stages
      .filter(({ begins }) => (begins.kind === 'schedule') === isScheduled)
      .flatMap(({ plans }) => plans.map(({ file }) => file))
  const rows = await RunRow.findAll({
    where: {
      projectId,
      [Op.or]: [
        { commit: { [Op.in]: [...commits] }, madeFile: { [Op.in]: plansOf(false) } },
        { commit: { [Op.not]: null }, madeFile: { [Op.in]: plansOf(true) } },
      ],
    },
    order: [['askedAt', 'DESC']],
    limit: MOST_RUNS,
  })
  for (const row of rows) await askFitnessAgain(own, row)
  const approvals = await StageApprovalRow.findAll({
    where: { projectId, pipeline: pipeline.file, commit: [...commits] },
  })
  const messages = new Map<string, string>()
  for (const { commit, labels } of rows.toReversed()) {
    const message = labels?.['message']
    if (commit !== null && message !== undefined) messages.set(commit, message)
  }
  return {
    messages,
    runs: rows.flatMap((row) => (row.commit === null ? [] : [stageRunOf(row, row.commit)])),
    approvals: approvals.map(({ stage, commit, by, reason, at }) => ({
      ...{ stage, commit, by, reason },
      atMs: at.getTime(),
    })),
  }
}

function stageRunOf(row: RunRow, commit: string): StageRun {
  const { id, number, madeFile, madeTarget, branch, verdict, state, askedAt, endedAt, heardAt, seconds, reasons } = row
  // A command says itself when its run ended; this server has heard of it no earlier.
  const endedAtMs = endedAt === null ? null : Math.min(endedAt.getTime(), heardAt?.getTime() ?? Infinity)
  return {
    ...{ id, number, planFile: madeFile, targetName: madeTarget, commit, branch, seconds, reasons, endedAtMs },
    planCommit: row.planCommit ?? null,
    isOfServer: row.reported == null,
    verdict: state === 'ended' ? verdict : null,
    isWaiting: state === 'queued',
    // One that is uploaded later is no later run.
    askedAtMs: Math.min(askedAt.getTime(), row.startedAt?.getTime() ?? Infinity),
    unfit: row.unfit ?? null,
  }
}

/**
 * The commit that is meant by its first characters: of the runs of this project and of its repository; as it was given
 * where neither knows it.
 */
export async function fullCommit(projectId: number, own: WorkingCopy, given: string): Promise<string> {
  const rows = await RunRow.findAll({
    where: { projectId, commit: { [Op.startsWith]: given } },
    attributes: [[fn('DISTINCT', col('commit')), 'commit']],
    limit: 3,
  })
  const known = new Set(rows.flatMap(({ commit }) => commit ?? []))
  const here = await own.commits.commitOf(given)
  if (here !== undefined) known.add(here)
  if (known.has(given)) return given
  const [only, ...others] = known
  if (others.length > 0)
    throw new Problem(409, 'AMBIGUOUS', `${given} is the beginning of several commits: give more of it`)
  return only ?? given
}

/** A change with its ancestors, as far as the repository of the project has them. */
export async function changeOf(own: WorkingCopy, commit: string): Promise<ChangeUnderTest> {
  const ancestors = new Set(await own.commits.ancestorsOf(commit, MOST_ANCESTORS))
  return { commit, hasAncestor: (other) => ancestors.has(other) }
}

export interface LastChange {
  commit: string
  branch: string | null
  at: Date
}

/**
 * The changes of a pipeline, the newest first: those that were run last with one of its plans, those that were pushed
 * to repositories elsewhere, those that somebody has opened a stage for, and the one that the project's own files
 * stand at.
 */
export async function lastChanges(
  projectId: number,
  own: WorkingCopy,
  pipeline: Pipeline,
  branch: string | undefined,
  most: number,
): Promise<LastChange[]> {
  const changes = await lastRun(projectId, pipeline, branch, most)
  const add = (more: LastChange) => {
    if (!changes.some(({ commit }) => commit === more.commit)) changes.push(more)
  }
  const ofProject = { projectId, ...(branch === undefined ? {} : { branch }) }
  for (const { commit, branch: of, at } of await PushRow.findAll({
    where: ofProject,
    order: [['id', 'DESC']],
    limit: most,
  }))
    add({ commit, branch: of, at })
  const head = await own.head()
  const [tip] = head.commit === null ? [] : await own.commits.named([head.commit])
  if (tip !== undefined && (branch === undefined || branch === head.branch))
    add({ commit: tip.commit, branch: head.branch, at: new Date(tip.at) })
  if (branch === undefined) {
    const where = { projectId, pipeline: pipeline.file }
    for (const { commit, at } of await StageApprovalRow.findAll({ where, order: [['at', 'DESC']], limit: most }))
      add({ commit, branch: null, at })
  }
  return changes.toSorted((one, other) => other.at.getTime() - one.at.getTime()).slice(0, most)
}

async function lastRun(
  projectId: number,
  { stages }: Pipeline,
  branch: string | undefined,
  most: number,
): Promise<LastChange[]> {
  const planFiles = [...new Set(stages.flatMap(({ plans }) => plans.map(({ file }) => file)))]
  const rows = await RunRow.findAll({
    where: {
      projectId,
      madeFile: { [Op.in]: planFiles },
      commit: { [Op.not]: null },
      ...(branch === undefined ? {} : { branch }),
    },
    attributes: ['commit', [fn('MAX', col('asked_at')), 'askedAt'], [fn('MAX', col('branch')), 'branch']],
    group: ['commit'],
    order: [[fn('MAX', col('asked_at')), 'DESC']],
    limit: most,
  })
  return rows.flatMap(({ commit, branch: own, askedAt }) =>
    commit === null ? [] : [{ commit, branch: own, at: new Date(askedAt) }],
  )
}
