// What MariaDB holds of runs. Plans live in Git, never here alone.
import {
  DataTypes,
  Model,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
  type CreationOptional,
} from 'sequelize'
import type { Grade, GateResult, Plan, Rehearsal, RunResult, RunShape, Spark, Verdict } from '@jolt-gate/core'
import type { RunPart, RunState } from '@jolt-gate/core/api'
import { json, moment, number, text } from './columns.js'

/** The runs of which the baseline of one is made: the latest first, then the pinned one. */
export interface BaselineIds {
  runs: string[]
  pinned: string | null
}

export class RunRow extends Model<InferAttributes<RunRow>, InferCreationAttributes<RunRow>> {
  declare id: string
  declare projectId: number
  declare number: number
  declare planFile: string
  declare planName: string
  declare targetName: string
  /** The names that it was made under: what it counts for stays, whatever is renamed. */
  declare madeFile: string
  declare madeTarget: string
  declare origin: string
  declare commit: string | null
  declare branch: string | null
  declare dirty: boolean
  declare state: RunState
  declare part: RunPart | null
  declare verdict: Verdict | null
  declare reasons: string[]
  declare spark: Spark
  /** Of the load: its length, and the most arrivals per second and users at once. */
  declare seconds: number
  declare peakRate: number
  declare mostUsers: number
  /** Of the result, while there is one. */
  declare gatesAll: number | null
  declare gatesBreached: number | null
  declare requests: number | null
  declare failedShare: number | null
  declare p95: number | null
  declare impact: Grade | null
  /** Who asked for it; runs of old do not know. */
  declare startedBy: string | null
  /** Null for runs of old. */
  declare labels: CreationOptional<Record<string, string> | null>
  /** In Markdown. */
  declare note: CreationOptional<string | null>
  /** The run that its gates against a baseline are held to. */
  declare baselineId: CreationOptional<string | null>
  declare baselineIds: CreationOptional<BaselineIds | null>
  /** Of a run that is made elsewhere: the fingerprint of what it began with, and when it was last heard of. */
  declare reported: CreationOptional<string | null>
  declare heardAt: CreationOptional<Date | null>
  /** The commit of the plan; of a reported run its change may be one of another repository. */
  declare planCommit: CreationOptional<string | null>
  /** The stage that the server runs it for. */
  declare stageRunId: CreationOptional<string | null>
  /** The key of the one who asked for it: the same key is the same run. */
  declare askedAs: CreationOptional<string | null>
  /** Why it counts for no stage of a pipeline, in words. */
  declare unfit: CreationOptional<string | null>
  /** The runner whose key the result is signed with. */
  declare signedBy: CreationOptional<string | null>
  /** What a search looks through, in lower case. */
  declare searched: string
  declare askedAt: Date
  declare startedAt: Date | null
  declare endedAt: Date | null
}

/** The large parts of a run, read only when one run is opened. */
export class RunPartsRow extends Model<InferAttributes<RunPartsRow>, InferCreationAttributes<RunPartsRow>> {
  declare runId: string
  declare plan: Plan
  declare shape: RunShape
  declare result: RunResult | null
  /** Of a reported run, the fingerprints of the texts it was read from, by path. */
  declare texts: CreationOptional<Record<string, string> | null>
}

export class BucketRow extends Model<InferAttributes<BucketRow>, InferCreationAttributes<BucketRow>> {
  declare runId: string
  declare second: number
  declare data: Buffer
}

export class GateRow extends Model<InferAttributes<GateRow>, InferCreationAttributes<GateRow>> {
  declare runId: string
  declare position: number
  declare rule: string
  declare status: GateResult['status']
  declare observed: number | null
  declare limitValue: number | null
  declare unit: GateResult['unit']
  declare intervalLow: number | null
  declare intervalHigh: number | null
  declare borderline: boolean
}

/** Figures of a step over the measured phases of a run. */
export class StepRow extends Model<InferAttributes<StepRow>, InferCreationAttributes<StepRow>> {
  declare runId: string
  declare position: number
  declare step: string
  declare requests: number
  declare failedShare: number | null
  declare p95: number | null
}

export class FailureRow extends Model<InferAttributes<FailureRow>, InferCreationAttributes<FailureRow>> {
  declare id: CreationOptional<number>
  declare runId: string
  declare step: string
  declare kind: string
  declare detail: string
  declare count: number
  declare firstAtMs: number
  declare sample: string
}

export class RehearsalRow extends Model<InferAttributes<RehearsalRow>, InferCreationAttributes<RehearsalRow>> {
  declare id: string
  declare projectId: number
  declare planFile: string
  declare at: Date
  declare passed: boolean
  declare rehearsal: Rehearsal
}

/** Binds them to a connection. */
// eslint-disable-next-line max-lines-per-function -- one column after another
export function defineRuns(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false, underscored: true }
  RunRow.init(
    {
      id: { type: DataTypes.STRING(20), primaryKey: true },
      projectId: { type: DataTypes.INTEGER, allowNull: false },
      number: { type: DataTypes.INTEGER, allowNull: false },
      planFile: text(500),
      planName: text(300),
      targetName: text(300),
      madeFile: text(500),
      madeTarget: text(300),
      origin: text(300),
      commit: DataTypes.STRING(64),
      branch: DataTypes.STRING(200),
      dirty: { type: DataTypes.BOOLEAN, allowNull: false },
      state: text(20),
      part: DataTypes.STRING(20),
      verdict: DataTypes.STRING(20),
      reasons: json('reasons'),
      spark: json('spark'),
      seconds: { type: DataTypes.DOUBLE, allowNull: false },
      peakRate: { type: DataTypes.DOUBLE, allowNull: false },
      mostUsers: { type: DataTypes.DOUBLE, allowNull: false },
      gatesAll: DataTypes.INTEGER,
      gatesBreached: DataTypes.INTEGER,
      requests: DataTypes.DOUBLE,
      failedShare: DataTypes.DOUBLE,
      p95: DataTypes.DOUBLE,
      impact: DataTypes.STRING(20),
      startedBy: DataTypes.STRING(200),
      signedBy: DataTypes.STRING(100),
      labels: json('labels'),
      note: DataTypes.TEXT,
      baselineId: DataTypes.STRING(20),
      baselineIds: json('baselineIds'),
      reported: DataTypes.STRING(64),
      planCommit: DataTypes.STRING(64),
      unfit: DataTypes.STRING(300),
      stageRunId: DataTypes.STRING(20),
      askedAs: DataTypes.STRING(100),
      heardAt: DataTypes.DATE(3),
      searched: text(1000),
      askedAt: { type: DataTypes.DATE(3), allowNull: false },
      startedAt: DataTypes.DATE(3),
      endedAt: DataTypes.DATE(3),
    },
    { ...common, tableName: 'runs' },
  )
  RunPartsRow.init(
    {
      runId: { type: DataTypes.STRING(20), primaryKey: true },
      plan: json('plan'),
      shape: json('shape'),
      result: json('result'),
      texts: json('texts'),
    },
    { ...common, tableName: 'run_parts' },
  )
  BucketRow.init(
    {
      runId: { type: DataTypes.STRING(20), primaryKey: true },
      second: { type: DataTypes.INTEGER, primaryKey: true },
      data: { type: DataTypes.BLOB('medium'), allowNull: false },
    },
    { ...common, tableName: 'run_buckets' },
  )
  GateRow.init(
    {
      runId: { type: DataTypes.STRING(20), primaryKey: true },
      position: { type: DataTypes.INTEGER, primaryKey: true },
      rule: text(1000),
      status: text(20),
      observed: DataTypes.DOUBLE,
      limitValue: { type: DataTypes.DOUBLE, allowNull: true },
      unit: text(10),
      intervalLow: DataTypes.DOUBLE,
      intervalHigh: DataTypes.DOUBLE,
      borderline: { type: DataTypes.BOOLEAN, allowNull: false },
    },
    { ...common, tableName: 'gate_results' },
  )
  StepRow.init(
    {
      runId: { type: DataTypes.STRING(20), primaryKey: true },
      position: { type: DataTypes.INTEGER, primaryKey: true },
      step: text(300),
      requests: { type: DataTypes.DOUBLE, allowNull: false },
      failedShare: DataTypes.DOUBLE,
      p95: DataTypes.DOUBLE,
    },
    { ...common, tableName: 'step_results' },
  )
  FailureRow.init(
    {
      id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
      runId: text(20),
      step: text(300),
      kind: text(40),
      detail: text(500),
      count: { type: DataTypes.INTEGER, allowNull: false },
      firstAtMs: { type: DataTypes.DOUBLE, allowNull: false },
      sample: text(1000),
    },
    { ...common, tableName: 'failures' },
  )
  RehearsalRow.init(
    {
      id: { type: DataTypes.STRING(20), primaryKey: true },
      projectId: number(),
      planFile: text(500),
      at: moment(),
      passed: { type: DataTypes.BOOLEAN, allowNull: false },
      rehearsal: json('rehearsal'),
    },
    { ...common, tableName: 'rehearsals' },
  )
}
