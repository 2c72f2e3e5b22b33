// What MariaDB holds, as Sequelize models. Plans live in Git, never here alone.
import {
  DataTypes,
  Model,
  Sequelize,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
} from 'sequelize'
import type { Grade, GateResult, Plan, Rehearsal, RunResult, RunShape, Verdict } from '@jolt-gate/core'
import type { ProjectRole, Role, StoredState } from '@jolt-gate/core/api'
import type { Spark } from '../runs/figures.js'

export class ProjectRow extends Model<InferAttributes<ProjectRow>, InferCreationAttributes<ProjectRow>> {
  declare id: CreationOptional<number>
  declare name: string
  declare path: string
}

export class RunRow extends Model<InferAttributes<RunRow>, InferCreationAttributes<RunRow>> {
  declare id: string
  declare projectId: number
  declare number: number
  declare planFile: string
  declare planName: string
  declare targetName: string
  declare origin: string
  declare commit: string | null
  declare branch: string | null
  declare dirty: boolean
  declare state: StoredState
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

/** A run that a person keeps as the baseline of its plan, target and branch. */
export class BaselineRow extends Model<InferAttributes<BaselineRow>, InferCreationAttributes<BaselineRow>> {
  declare runId: string
  declare by: string
  declare at: Date
}

/** What a person says of a change of level that begins with a run. */
export class TrendNoteRow extends Model<InferAttributes<TrendNoteRow>, InferCreationAttributes<TrendNoteRow>> {
  declare id: CreationOptional<number>
  declare runId: string
  declare series: string
  declare words: string
  declare by: string
  declare at: Date
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

export class PersonRow extends Model<InferAttributes<PersonRow>, InferCreationAttributes<PersonRow>> {
  declare id: CreationOptional<number>
  declare name: string
  declare email: string
  declare role: Role
  /** A hash; null for whoever has no password, as the demo. */
  declare password: string | null
  /** Who they are to the sign-in provider: its issuer and their subject there. */
  declare subject: CreationOptional<string | null>
  declare madeAt: Date
}

/** Where a project's branches are pulled from and pushed to. */
export class RemoteRow extends Model<InferAttributes<RemoteRow>, InferCreationAttributes<RemoteRow>> {
  declare projectId: number
  declare url: string
  /** User and password, sealed. */
  declare sealed: string | null
}

/** The role of a person in one project, where it is another one than elsewhere. */
export class ProjectRoleRow extends Model<InferAttributes<ProjectRoleRow>, InferCreationAttributes<ProjectRoleRow>> {
  declare projectId: number
  declare personId: number
  declare role: ProjectRole
}

export class SessionRow extends Model<InferAttributes<SessionRow>, InferCreationAttributes<SessionRow>> {
  declare hash: string
  declare personId: number
  declare csrf: string
  declare expiresAt: Date
}

export class TokenRow extends Model<InferAttributes<TokenRow>, InferCreationAttributes<TokenRow>> {
  declare id: CreationOptional<number>
  declare personId: number
  declare label: string
  declare scopes: string
  declare hash: string
  declare expiresAt: Date
  declare usedAt: Date | null
}

export class EventRow extends Model<InferAttributes<EventRow>, InferCreationAttributes<EventRow>> {
  declare id: CreationOptional<number>
  declare at: Date
  declare personId: number | null
  declare who: string
  declare event: string
  declare detail: string
  declare projectId: number | null
}

export class SecretRow extends Model<InferAttributes<SecretRow>, InferCreationAttributes<SecretRow>> {
  declare projectId: number
  declare target: string
  declare name: string
  declare sealed: string
  /** Of the addresses that it may go to; null in stores of old, which nobody has confirmed. */
  declare bound: string | null
}

/** An administrator's approval, in writing, for a permission whose proof cannot be served. */
export class ApprovalRow extends Model<InferAttributes<ApprovalRow>, InferCreationAttributes<ApprovalRow>> {
  declare projectId: number
  declare token: string
  declare words: string
  declare by: string
  declare at: Date
}

export class RehearsalRow extends Model<InferAttributes<RehearsalRow>, InferCreationAttributes<RehearsalRow>> {
  declare id: string
  declare projectId: number
  declare planFile: string
  declare at: Date
  declare passed: boolean
  declare rehearsal: Rehearsal
}

/** Binds the models to a connection. */
export function defineModels(sequelize: Sequelize): void {
  const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
  const common = { sequelize, timestamps: false, underscored: true }
  ProjectRow.init(
    { id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true }, name: text(200), path: text(700) },
    { ...common, tableName: 'projects' },
  )
  RunRow.init(
    {
      id: { type: DataTypes.STRING(20), primaryKey: true },
      projectId: { type: DataTypes.INTEGER, allowNull: false },
      number: { type: DataTypes.INTEGER, allowNull: false },
      planFile: text(500),
      planName: text(300),
      targetName: text(300),
      origin: text(300),
      commit: DataTypes.STRING(64),
      branch: DataTypes.STRING(200),
      dirty: { type: DataTypes.BOOLEAN, allowNull: false },
      state: text(20),
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
      labels: json('labels'),
      note: DataTypes.TEXT,
      baselineId: DataTypes.STRING(20),
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
  // Sequelize writes into what it is given: each column gets an object of its own.
  const id = () => ({ type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true })
  const number = () => ({ type: DataTypes.INTEGER, allowNull: false })
  const moment = () => ({ type: DataTypes.DATE(3), allowNull: false })
  PersonRow.init(
    {
      id: id(),
      name: text(100),
      email: text(200),
      role: text(20),
      password: DataTypes.STRING(200),
      subject: DataTypes.STRING(500),
      madeAt: moment(),
    },
    { ...common, tableName: 'people' },
  )
  BaselineRow.init(
    { runId: { type: DataTypes.STRING(20), primaryKey: true }, by: text(200), at: moment() },
    { ...common, tableName: 'baselines' },
  )
  TrendNoteRow.init(
    { id: id(), runId: text(20), series: text(1000), words: text(1000), by: text(200), at: moment() },
    { ...common, tableName: 'trend_notes' },
  )
  RemoteRow.init(
    { projectId: { type: DataTypes.INTEGER, primaryKey: true }, url: text(700), sealed: DataTypes.TEXT },
    { ...common, tableName: 'remotes' },
  )
  ProjectRoleRow.init(
    {
      projectId: { type: DataTypes.INTEGER, primaryKey: true },
      personId: { type: DataTypes.INTEGER, primaryKey: true },
      role: text(20),
    },
    { ...common, tableName: 'project_roles' },
  )
  SessionRow.init(
    { hash: { type: DataTypes.STRING(64), primaryKey: true }, personId: number(), csrf: text(40), expiresAt: moment() },
    { ...common, tableName: 'sessions' },
  )
  TokenRow.init(
    {
      id: id(),
      personId: number(),
      label: text(100),
      scopes: text(100),
      hash: text(64),
      expiresAt: moment(),
      usedAt: DataTypes.DATE(3),
    },
    { ...common, tableName: 'tokens' },
  )
  EventRow.init(
    {
      id: id(),
      at: moment(),
      personId: DataTypes.INTEGER,
      who: text(200),
      event: text(100),
      detail: text(1000),
      projectId: DataTypes.INTEGER,
    },
    { ...common, tableName: 'events' },
  )
  const part = (length: number) => ({ type: DataTypes.STRING(length), primaryKey: true })
  SecretRow.init(
    {
      projectId: { type: DataTypes.INTEGER, primaryKey: true },
      target: part(200),
      name: part(100),
      sealed: { type: DataTypes.TEXT, allowNull: false },
      bound: DataTypes.STRING(64),
    },
    { ...common, tableName: 'secrets' },
  )
  ApprovalRow.init(
    {
      projectId: { type: DataTypes.INTEGER, primaryKey: true },
      token: part(40),
      words: text(2000),
      by: text(200),
      at: moment(),
    },
    { ...common, tableName: 'approvals' },
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

/** MariaDB keeps JSON as text; it is parsed and written at the model's edge. */
function json(name: string) {
  return {
    type: DataTypes.TEXT('long'),
    get(this: Model): unknown {
      const stored: unknown = this.getDataValue(name)
      return typeof stored === 'string' ? JSON.parse(stored) : null
    },
    set(this: Model, value: unknown) {
      this.setDataValue(name, value === null ? null : JSON.stringify(value))
    },
  }
}
