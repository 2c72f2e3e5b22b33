// Stages that the server runs itself: those begun, their schedules, and where branches stood when it looked last.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
const moment = { type: DataTypes.DATE(3), allowNull: false }
const orNone = <T extends object>(column: T) => ({ ...column, allowNull: true })
const project = {
  type: DataTypes.INTEGER,
  allowNull: false,
  references: { model: 'projects', key: 'id' },
  onDelete: 'CASCADE',
}
const options = { charset: 'utf8mb4', collate: 'utf8mb4_bin' }
const INDEX = ['stage_run_id']
const ASKED_AS = ['project_id', 'asked_as']

export const stageRuns: Migration = {
  name: '015-stage-runs',
  async up(schema) {
    await schema.createTable(
      'stage_runs',
      {
        id: { type: DataTypes.STRING(20), primaryKey: true },
        project_id: project,
        pipeline: text(500),
        stage: text(300),
        commit: text(64),
        branch: orNone(text(200)),
        cause: text(20),
        by: text(200),
        baseline_branch: orNone(text(200)),
        plans: { type: DataTypes.TEXT('long'), allowNull: false },
        state: text(20),
        verdict: orNone(text(20)),
        words: text(1000),
        asked_at: moment,
        due_at: orNone(moment),
        started_at: orNone(moment),
        ended_at: orNone(moment),
      },
      options,
    )
    await schema.addIndex('stage_runs', ['state'])
    await schema.addIndex('stage_runs', ['project_id', 'commit'])
    await schema.createTable(
      'schedules',
      {
        id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
        project_id: project,
        pipeline: text(500),
        stage: text(300),
        cron: text(200),
        zone: text(100),
        last_due_at: moment,
        is_paused: { type: DataTypes.BOOLEAN, allowNull: false },
      },
      options,
    )
    await schema.createTable(
      'branch_tips',
      {
        project_id: { ...project, primaryKey: true },
        branch: { ...text(200), primaryKey: true },
        commit: text(64),
      },
      options,
    )
    await schema.addColumn('runs', 'stage_run_id', { type: DataTypes.STRING(20), allowNull: true })
    await schema.addIndex('runs', INDEX)
    await schema.addColumn('runs', 'asked_as', { type: DataTypes.STRING(100), allowNull: true })
    await schema.addIndex('runs', ASKED_AS, { unique: true })
  },
  async down(schema) {
    for (const index of [INDEX, ASKED_AS]) await schema.removeIndex('runs', index)
    for (const column of ['stage_run_id', 'asked_as'])
      await schema.sequelize.query(`ALTER TABLE runs DROP COLUMN ${column}`, { type: QueryTypes.RAW })
    for (const table of ['branch_tips', 'schedules', 'stage_runs']) await schema.dropTable(table)
  },
}
