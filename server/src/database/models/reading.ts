// What people keep of runs and say of them.
import {
  DataTypes,
  Model,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
  type CreationOptional,
} from 'sequelize'
import { id, moment, number, text } from './columns.js'

/** A run that a person keeps as the baseline of its plan, target and branch. */
export class BaselineRow extends Model<InferAttributes<BaselineRow>, InferCreationAttributes<BaselineRow>> {
  declare runId: string
  declare by: string
  declare at: Date
}

/** What a person says of a shift that begins with a run. */
export class TrendNoteRow extends Model<InferAttributes<TrendNoteRow>, InferCreationAttributes<TrendNoteRow>> {
  declare id: CreationOptional<number>
  declare runId: string
  declare series: string
  declare words: string
  declare by: string
  declare at: Date
}

/** Something that happened while a run lasted. */
export class MarkRow extends Model<InferAttributes<MarkRow>, InferCreationAttributes<MarkRow>> {
  declare id: CreationOptional<number>
  declare runId: string
  declare atMs: number
  declare text: string
  declare by: string
  declare at: Date
}

/** A link by which anyone who has it reads a run; its token is kept as a hash. */
export class ShareRow extends Model<InferAttributes<ShareRow>, InferCreationAttributes<ShareRow>> {
  declare id: CreationOptional<number>
  declare runId: string
  declare hash: string
  declare by: string
  declare at: Date
  declare until: Date
}

/** A named set of lanes of a project. */
export class ViewRow extends Model<InferAttributes<ViewRow>, InferCreationAttributes<ViewRow>> {
  declare id: CreationOptional<number>
  declare projectId: number
  declare name: string
  declare lanes: string
  declare planFile: string | null
  declare by: string
  declare at: Date
}

/** Binds them to a connection. */
export function defineReading(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false, underscored: true }
  BaselineRow.init(
    { runId: { type: DataTypes.STRING(20), primaryKey: true }, by: text(200), at: moment() },
    { ...common, tableName: 'baselines' },
  )
  TrendNoteRow.init(
    { id: id(), runId: text(20), series: text(1000), words: text(1000), by: text(200), at: moment() },
    { ...common, tableName: 'trend_notes' },
  )
  MarkRow.init(
    {
      id: id(),
      runId: text(20),
      atMs: { type: DataTypes.DOUBLE, allowNull: false },
      text: text(200),
      by: text(200),
      at: moment(),
    },
    { ...common, tableName: 'marks' },
  )
  ShareRow.init(
    { id: id(), runId: text(20), hash: text(64), by: text(200), at: moment(), until: moment() },
    { ...common, tableName: 'shares' },
  )
  ViewRow.init(
    {
      id: id(),
      projectId: number(),
      name: text(100),
      lanes: text(2000),
      planFile: DataTypes.STRING(500),
      by: text(200),
      at: moment(),
    },
    { ...common, tableName: 'views' },
  )
}
