// What MariaDB holds of pipelines. Their files live in Git.
import {
  DataTypes,
  Model,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
  type CreationOptional,
} from 'sequelize'
import type { PlanOfStage, Verdict } from '@jolt-gate/core'
import { id, json, moment, number, part, text } from './columns.js'

/** An administrator's written consent to open a stage for a change. */
export class StageApprovalRow extends Model<
  InferAttributes<StageApprovalRow>,
  InferCreationAttributes<StageApprovalRow>
> {
  declare id: CreationOptional<number>
  declare projectId: number
  declare pipeline: string
  declare stage: string
  declare commit: string
  declare by: string
  declare reason: string
  declare at: Date
}

/** A stage that the server runs for a change: its plans in order, up to the first that is not open. */
export class StageRunRow extends Model<InferAttributes<StageRunRow>, InferCreationAttributes<StageRunRow>> {
  declare id: string
  declare projectId: number
  declare pipeline: string
  declare stage: string
  declare commit: string
  declare branch: string | null
  declare cause: 'push' | 'schedule' | 'hand'
  declare by: string
  /** The branch whose last open run its gates are held to; null for that of the run. */
  declare baselineBranch: string | null
  declare plans: PlanOfStage[]
  declare state: 'queued' | 'running' | 'ended'
  /** Null while it lasts, and where it was never begun. */
  declare verdict: Verdict | null
  /** What it waits for, or why it ended as it did. */
  declare words: string
  declare askedAt: Date
  /** Of a push to a repository elsewhere: which. The plans are then those of the project's own branch. */
  declare sourceId: number | null
  /** Of a schedule: when it should have begun. */
  declare dueAt: Date | null
  declare startedAt: Date | null
  declare endedAt: Date | null
}

/** How far a schedule has come: what was due until then has been begun, or was passed over. */
export class ScheduleRow extends Model<InferAttributes<ScheduleRow>, InferCreationAttributes<ScheduleRow>> {
  declare id: CreationOptional<number>
  declare projectId: number
  declare pipeline: string
  declare stage: string
  declare cron: string
  declare zone: string
  declare lastDueAt: Date
  declare isPaused: boolean
}

/** Where a branch stood when it was looked at last. */
export class BranchTipRow extends Model<InferAttributes<BranchTipRow>, InferCreationAttributes<BranchTipRow>> {
  declare projectId: number
  declare branch: string
  declare commit: string
}

/** Binds them to a connection. */
export function definePipelines(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false, underscored: true }
  const of = { projectId: number(), pipeline: text(500), stage: text(300) }
  StageApprovalRow.init(
    { id: id(), ...of, commit: text(64), by: text(200), reason: text(1000), at: moment() },
    { ...common, tableName: 'stage_approvals' },
  )
  StageRunRow.init(
    {
      id: part(20),
      ...of,
      commit: text(64),
      branch: DataTypes.STRING(200),
      cause: text(20),
      by: text(200),
      baselineBranch: DataTypes.STRING(200),
      plans: json('plans'),
      state: text(20),
      verdict: DataTypes.STRING(20),
      words: text(1000),
      sourceId: DataTypes.INTEGER,
      askedAt: moment(),
      dueAt: DataTypes.DATE(3),
      startedAt: DataTypes.DATE(3),
      endedAt: DataTypes.DATE(3),
    },
    { ...common, tableName: 'stage_runs' },
  )
  ScheduleRow.init(
    {
      id: id(),
      ...of,
      cron: text(200),
      zone: text(100),
      lastDueAt: moment(),
      isPaused: { type: DataTypes.BOOLEAN, allowNull: false },
    },
    { ...common, tableName: 'schedules' },
  )
  BranchTipRow.init(
    { projectId: { type: DataTypes.INTEGER, primaryKey: true }, branch: part(200), commit: text(64) },
    { ...common, tableName: 'branch_tips' },
  )
}
