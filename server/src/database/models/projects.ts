// Projects, and what is stored for each.
import {
  DataTypes,
  Model,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
  type CreationOptional,
} from 'sequelize'
import { id, moment, number, part, text } from './columns.js'

export class ProjectRow extends Model<InferAttributes<ProjectRow>, InferCreationAttributes<ProjectRow>> {
  declare id: CreationOptional<number>
  declare name: string
  declare path: string
  /** How long its runs are kept, as an administrator wrote it; empty keeps all. */
  declare retention: CreationOptional<string>
  /** What it may spend in a day; null for any. */
  declare mostRunsADay: CreationOptional<number | null>
  declare mostMinutesADay: CreationOptional<number | null>
  /** By which its badges are public; null where they are not. */
  declare badgeKey: CreationOptional<string | null>
  /** Whether its default branch goes on only by merges that somebody else has approved. */
  declare isProtected: CreationOptional<boolean>
}

/** What a rule has deleted of a plan's runs within a day. */
export class RetentionDayRow extends Model<InferAttributes<RetentionDayRow>, InferCreationAttributes<RetentionDayRow>> {
  declare projectId: number
  declare planFile: string
  declare since: Date
  /** So many runs the plan had when the day began. */
  declare had: number
  declare deleted: number
}

/** The public half of the key by which a runner signs what it reports. */
export class RunnerKeyRow extends Model<InferAttributes<RunnerKeyRow>, InferCreationAttributes<RunnerKeyRow>> {
  declare id: CreationOptional<number>
  declare projectId: number
  declare name: string
  /** As PEM. */
  declare publicKey: string
  declare madeBy: string
  declare madeAt: Date
}

/** Who brought a commit to a project. */
export class CommitHandRow extends Model<InferAttributes<CommitHandRow>, InferCreationAttributes<CommitHandRow>> {
  declare projectId: number
  declare commit: string
  declare personId: number
}

/** Somebody's word that a commit, with all before it, may be merged into the default branch. */
export class MergeApprovalRow extends Model<
  InferAttributes<MergeApprovalRow>,
  InferCreationAttributes<MergeApprovalRow>
> {
  declare id: CreationOptional<number>
  declare projectId: number
  declare commit: string
  declare personId: number
  /** The name as it was then. */
  declare by: string
  declare at: Date
}

/** Where a project's branches are pulled from and pushed to. */
export class RemoteRow extends Model<InferAttributes<RemoteRow>, InferCreationAttributes<RemoteRow>> {
  declare projectId: number
  declare url: string
  /** User and password, sealed. */
  declare sealed: string | null
}

export class SecretRow extends Model<InferAttributes<SecretRow>, InferCreationAttributes<SecretRow>> {
  declare projectId: number
  declare target: string
  declare name: string
  declare sealed: string
  /** Of the addresses that it may go to; null in stores of old, where they were never confirmed. */
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

/** Binds them to a connection. */
// eslint-disable-next-line max-lines-per-function -- one table after another
export function defineProjects(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false, underscored: true }
  ProjectRow.init(
    {
      id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
      name: text(200),
      path: text(700),
      retention: { ...text(500), defaultValue: '' },
      mostRunsADay: DataTypes.INTEGER,
      mostMinutesADay: DataTypes.INTEGER,
      badgeKey: DataTypes.STRING(40),
      isProtected: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
    },
    { ...common, tableName: 'projects' },
  )
  RetentionDayRow.init(
    {
      projectId: { type: DataTypes.INTEGER, primaryKey: true },
      planFile: part(500),
      since: moment(),
      had: number(),
      deleted: number(),
    },
    { ...common, tableName: 'retention_days' },
  )
  RunnerKeyRow.init(
    { id: id(), projectId: number(), name: text(100), publicKey: text(1000), madeBy: text(200), madeAt: moment() },
    { ...common, tableName: 'runner_keys' },
  )
  CommitHandRow.init(
    { projectId: { type: DataTypes.INTEGER, primaryKey: true }, commit: part(64), personId: number() },
    { ...common, tableName: 'commit_hands' },
  )
  MergeApprovalRow.init(
    { id: id(), projectId: number(), commit: text(64), personId: number(), by: text(200), at: moment() },
    { ...common, tableName: 'merge_approvals' },
  )
  RemoteRow.init(
    { projectId: { type: DataTypes.INTEGER, primaryKey: true }, url: text(700), sealed: DataTypes.TEXT },
    { ...common, tableName: 'remotes' },
  )
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
}
