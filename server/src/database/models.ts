// What MariaDB holds, as Sequelize models. Plans live in Git, never here alone.
import {
  DataTypes,
  Model,
  Sequelize,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
} from 'sequelize'
import type { GateResult, Plan, RunResult, RunShape, Verdict } from '@jolt-gate/core'

export type StoredState = 'waiting' | 'setup' | 'load' | 'teardown' | 'ended'

/** A small picture of a run for lists: arrivals due per second, and p95 in ms. */
export interface Spark {
  due: number[]
  p95: (number | null)[]
}

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
  declare plan: Plan
  declare shape: RunShape
  declare spark: Spark
  declare result: RunResult | null
  declare askedAt: Date
  declare startedAt: Date | null
  declare endedAt: Date | null
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
      plan: json('plan'),
      shape: json('shape'),
      spark: json('spark'),
      result: json('result'),
      askedAt: { type: DataTypes.DATE(3), allowNull: false },
      startedAt: DataTypes.DATE(3),
      endedAt: DataTypes.DATE(3),
    },
    { ...common, tableName: 'runs' },
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
    },
    { ...common, tableName: 'gate_results' },
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
