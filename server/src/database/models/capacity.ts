// What MariaDB holds of searches for a capacity.
import { DataTypes, Model, type InferAttributes, type InferCreationAttributes, type Sequelize } from 'sequelize'
import type { Capacity, CapacityGoal, TrialMade } from '@jolt-gate/core'
import type { RunState } from '@jolt-gate/core/api'
import { json, moment, number, text } from './columns.js'

export class CapacityRow extends Model<InferAttributes<CapacityRow>, InferCreationAttributes<CapacityRow>> {
  declare id: string
  declare projectId: number
  declare planFile: string
  declare planName: string
  declare targetName: string
  declare commit: string | null
  declare branch: string | null
  declare dirty: boolean
  declare startedBy: string
  declare state: RunState
  declare goal: CapacityGoal
  /** Trials so far. */
  declare trials: TrialMade[]
  /** The answer; null until there is one. */
  declare capacity: Capacity | null
  declare askedAt: Date
  declare startedAt: Date | null
  declare endedAt: Date | null
}

/** Binds them to a connection. */
export function defineCapacity(sequelize: Sequelize): void {
  CapacityRow.init(
    {
      id: { type: DataTypes.STRING(10), primaryKey: true },
      projectId: number(),
      planFile: text(500),
      planName: text(300),
      targetName: text(300),
      commit: DataTypes.STRING(64),
      branch: DataTypes.STRING(200),
      dirty: { type: DataTypes.BOOLEAN, allowNull: false },
      startedBy: text(200),
      state: text(10),
      goal: json('goal'),
      trials: json('trials'),
      capacity: json('capacity'),
      askedAt: moment(),
      startedAt: DataTypes.DATE(3),
      endedAt: DataTypes.DATE(3),
    },
    { sequelize, timestamps: false, underscored: true, tableName: 'capacity_searches' },
  )
}
