// The history of a stage: each time that it was run, by the server or by a pipeline elsewhere, the latest first.
import { STAGE_STATES, type Pipeline, type Stage, type StageState } from '@jolt-gate/core'
import type { StageEntry } from '@jolt-gate/core/api'
import { Op } from 'sequelize'
import { RunRow, StageRunRow } from '../database/models.js'

const MOST = 100

export async function historyOf(projectId: number, pipeline: Pipeline, stage: Stage): Promise<StageEntry[]> {
  const of = { projectId, pipeline: pipeline.file, stage: stage.name }
  const begun = await StageRunRow.findAll({ where: of, order: [['askedAt', 'DESC']], limit: MOST })
  const runs = await RunRow.findAll({
    where: {
      projectId,
      commit: { [Op.not]: null },
      [Op.or]: [{ stageRunId: begun.map(({ id }) => id) }, ...stage.plans.map(runElsewhere)],
    },
    order: [['askedAt', 'DESC']],
    limit: MOST * Math.max(1, stage.plans.length),
  })
  const ours = begun.map((row) =>
    entryOf(
      row,
      runs.filter(({ stageRunId }) => stageRunId === row.id),
    ),
  )
  const others = elsewhere(runs.filter(({ stageRunId }) => stageRunId === null))
  return [...ours, ...others].toSorted((one, other) => other.askedAt.localeCompare(one.askedAt)).slice(0, MOST)
}

const runElsewhere = ({ file, target }: Stage['plans'][number]) => ({
  ...{ madeFile: file, madeTarget: target, stageRunId: null },
})

function entryOf(row: StageRunRow, runs: readonly RunRow[]): StageEntry {
  const { id, commit, branch, by, cause, state, verdict, words, askedAt, endedAt } = row
  return {
    ...{ id, commit, branch, by, cause, words, message: null, runs: runs.toReversed().map(lineOf) },
    ...{ askedAt: askedAt.toISOString(), endedAt: endedAt?.toISOString() ?? null },
    state: state === 'ended' ? (verdict ?? 'not run') : state,
  }
}

/** Runs of one change that follow one another belong together. */
function elsewhere(rows: readonly RunRow[]): StageEntry[] {
  const entries: RunRow[][] = []
  for (const row of rows) {
    const last = entries.at(-1)
    const isSame = last?.[0]?.commit === row.commit && !last.some(({ planFile }) => planFile === row.planFile)
    if (isSame) last.push(row)
    else entries.push([row])
  }
  return entries.flatMap((group) => {
    const first = group.at(-1)
    if (first === undefined || first.commit === null) return []
    const states = group.map(stateOf)
    const ends = group.flatMap(({ endedAt }) => endedAt ?? [])
    return [
      {
        ...{ id: first.id, commit: first.commit, branch: first.branch, by: first.startedBy ?? '' },
        ...{ cause: 'elsewhere' as const, words: '', message: first.labels?.['message'] ?? null },
        runs: group.toReversed().map(lineOf),
        askedAt: first.askedAt.toISOString(),
        endedAt: ends.length < group.length ? null : new Date(Math.max(...ends.map(Number))).toISOString(),
        state: STAGE_STATES.find((state) => states.includes(state)) ?? 'not run',
      },
    ]
  })
}

const stateOf = ({ state, verdict }: RunRow): StageState => (state === 'ended' ? (verdict ?? 'not run') : state)

const lineOf = ({ id, number, planName, verdict, seconds, unfit }: RunRow) => ({
  ...{ id, number, plan: planName, verdict, seconds, unfit: unfit ?? null },
})
