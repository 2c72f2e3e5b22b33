// What MariaDB holds of pipelines. Their files live in Git.
import {
  DataTypes,
  Model,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
  type CreationOptional,
} from 'sequelize'
import { id, moment, number, text } from './columns.js'

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

/** Binds them to a connection. */
export function definePipelines(sequelize: Sequelize): void {
  StageApprovalRow.init(
    {
      id: id(),
      projectId: number(),
      pipeline: text(500),
      stage: text(300),
      commit: { type: DataTypes.STRING(64), allowNull: false },
      by: text(200),
      reason: text(1000),
      at: moment(),
    },
    { sequelize, timestamps: false, underscored: true, tableName: 'stage_approvals' },
  )
}
