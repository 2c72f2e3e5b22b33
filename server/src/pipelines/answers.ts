// What is known of stages and changes, as the API tells it.
import { admissionOf, beginsWords, lengthWords, nextTime, stageAt } from '@jolt-gate/core'
import type {
  Admission,
  Approval,
  ChangeUnderTest,
  Pipeline,
  PipelineReading,
  Stage,
  StageAtChange,
} from '@jolt-gate/core'
import type { AdmissionAnswer, ChangeLine, PipelineSummary, ScheduleLine, StageCell } from '@jolt-gate/core/api'
import { StageRunRow, type ScheduleRow } from '../database/models.js'
import type { NamedCommit } from '../projects/commits.js'
import type { Facts } from './facts.js'

export function summaryOf({ pipeline, problems }: PipelineReading): PipelineSummary {
  return {
    file: pipeline.file,
    name: pipeline.name,
    problems: problems.map(({ line, column, message }) => ({ line, column, message })),
    stages: pipeline.stages.map(({ name, begins, after, requires, plans, hasApproval }) => ({
      ...{ name, after, plans, hasApproval },
      begins: beginsWords(begins),
      isAdmission: begins.kind === 'admission',
      requires: requires.map(({ stage, withinMs }) =>
        withinMs === null ? stage : `${stage} within ${lengthWords(withinMs)}`,
      ),
    })),
  }
}

export interface LineAsked {
  branch: string | null
  at: Date
  known: NamedCommit | undefined
  /** Stages that the server runs for the change, the latest first. */
  begun: readonly StageRunRow[]
  nowMs: number
}

const wordsOf = (begun: StageRunRow | undefined): string => begun?.words ?? ''

/** A schedule with its next and last time. */
export async function scheduleOf(row: ScheduleRow): Promise<ScheduleLine> {
  const { projectId, pipeline, stage, cron, zone, lastDueAt, isPaused } = row
  const last = await StageRunRow.findOne({
    where: { projectId, pipeline, stage, cause: 'schedule' },
    order: [['askedAt', 'DESC']],
  })
  const next = nextTime({ cron, zone }, lastDueAt.getTime())
  return {
    ...{ stage, cron, zone, isPaused },
    nextAt: next === undefined ? null : new Date(next).toISOString(),
    lastAt: last?.askedAt.toISOString() ?? null,
    lastVerdict: last?.verdict ?? null,
  }
}

/** A change with where it stands at each stage. */
export function lineOf(
  pipeline: Pipeline,
  change: ChangeUnderTest,
  facts: Facts,
  { branch, at, known, begun, nowMs }: LineAsked,
): ChangeLine {
  return {
    commit: change.commit,
    branch,
    message: known?.message ?? facts.messages.get(change.commit) ?? null,
    who: known?.who ?? null,
    at: known?.at ?? at.toISOString(),
    stages: pipeline.stages.map((stage) => ({
      at: cellOf(stageAt(stage, change, facts.runs, facts.approvals)),
      words: wordsOf(begun.find((one) => one.stage === stage.name)),
      admission: stage.begins.kind === 'admission' ? admissionFor(pipeline, stage, change, facts, nowMs) : null,
    })),
  }
}

export function admissionFor(
  pipeline: Pipeline,
  stage: Stage,
  change: ChangeUnderTest,
  facts: Facts,
  nowMs: number,
): AdmissionAnswer {
  const { required, approval, ...answer }: Admission = admissionOf(pipeline, stage, change, { ...facts, nowMs })
  return {
    ...answer,
    approval: approvalAnswer(approval),
    required: required.map(({ stage: at, ...more }) => ({ ...more, stage: cellOf(at) })),
  }
}

function cellOf({ stage, state, plans, approval }: StageAtChange): StageCell {
  return {
    ...{ stage, state },
    seconds: plans.reduce((sum, { run }) => sum + (run?.seconds ?? 0), 0),
    approval: approvalAnswer(approval),
    plans: plans.map(({ plan, state: ofPlan, run, ignored }) => ({
      ...{ plan: plan.file, name: plan.name, target: plan.target, state: ofPlan, changed: null },
      run:
        run === null
          ? null
          : {
              ...{ id: run.id, number: run.number, commit: run.commit, planCommit: run.planCommit },
              endedAt: run.endedAtMs === null ? null : new Date(run.endedAtMs).toISOString(),
              reason: run.reasons[0] ?? null,
            },
      ignored: ignored.map(({ run: { id, number }, why }) => ({ id, number, why })),
    })),
  }
}

const approvalAnswer = (approval: Approval | null) =>
  approval === null ? null : { by: approval.by, reason: approval.reason, at: new Date(approval.atMs).toISOString() }
