// What pipelines ask of runs, and consent in writing.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const COLUMNS = {
  plan_commit: { type: DataTypes.STRING(64), allowNull: true },
  unfit: { type: DataTypes.STRING(300), allowNull: true },
}
const INDEX = ['project_id', 'commit', 'plan_file']

export const pipelines: Migration = {
  name: '014-pipelines',
  async up(schema) {
    for (const [name, column] of Object.entries(COLUMNS)) await schema.addColumn('runs', name, column)
    await schema.addColumn('run_parts', 'texts', { type: DataTypes.TEXT('long'), allowNull: true })
    // Whether those were made as their plan says is unknown.
    await schema.sequelize.query(
      "UPDATE runs SET unfit = 'it was reported to an earlier version' WHERE reported IS NOT NULL",
      { type: QueryTypes.RAW },
    )
    await schema.addIndex('runs', INDEX)
    await schema.createTable(
      'stage_approvals',
      {
        id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
        project_id: {
          type: DataTypes.INTEGER,
          allowNull: false,
          references: { model: 'projects', key: 'id' },
          onDelete: 'CASCADE',
        },
        pipeline: { type: DataTypes.STRING(500), allowNull: false },
        stage: { type: DataTypes.STRING(300), allowNull: false },
        commit: { type: DataTypes.STRING(64), allowNull: false },
        by: { type: DataTypes.STRING(200), allowNull: false },
        reason: { type: DataTypes.STRING(1000), allowNull: false },
        at: { type: DataTypes.DATE(3), allowNull: false },
      },
      { charset: 'utf8mb4', collate: 'utf8mb4_bin' },
    )
  },
  async down(schema) {
    await schema.dropTable('stage_approvals')
    await schema.removeIndex('runs', INDEX)
    const drop = (table: string, column: string) =>
      schema.sequelize.query(`ALTER TABLE ${table} DROP COLUMN ${column}`, { type: QueryTypes.RAW })
    await drop('run_parts', 'texts')
    for (const name of Object.keys(COLUMNS)) await drop('runs', name)
  },
}
