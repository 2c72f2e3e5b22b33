// What reading together needs: marks on the time axis of a run, links that share a run, sets of lanes, and how long a
// project keeps its runs.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
const moment = { type: DataTypes.DATE(3), allowNull: false }
const id = { type: DataTypes.INTEGER, allowNull: false, primaryKey: true, autoIncrement: true }
const ofRun = {
  type: DataTypes.STRING(20),
  allowNull: false,
  references: { model: 'runs', key: 'id' },
  onDelete: 'CASCADE',
}
const ofProject = {
  type: DataTypes.INTEGER,
  allowNull: false,
  references: { model: 'projects', key: 'id' },
  onDelete: 'CASCADE',
}
const options = { charset: 'utf8mb4', collate: 'utf8mb4_bin' }

export const reading: Migration = {
  name: '012-marks-shares-views-retention',
  async up(schema) {
    await schema.createTable(
      'marks',
      {
        id,
        run_id: ofRun,
        at_ms: { type: DataTypes.DOUBLE, allowNull: false },
        text: text(200),
        by: text(200),
        at: moment,
      },
      options,
    )
    await schema.createTable(
      'shares',
      { id, run_id: ofRun, hash: { ...text(64), unique: true }, by: text(200), at: moment, until: moment },
      options,
    )
    await schema.createTable(
      'views',
      {
        id,
        project_id: ofProject,
        name: text(100),
        lanes: text(2000),
        plan_file: { type: DataTypes.STRING(500), allowNull: true },
        by: text(200),
        at: moment,
      },
      options,
    )
    await schema.addIndex('views', ['project_id', 'name'], { unique: true })
    await schema.addColumn('projects', 'retention', { ...text(500), defaultValue: '' })
  },
  async down(schema) {
    await schema.sequelize.query('ALTER TABLE projects DROP COLUMN retention', { type: QueryTypes.RAW })
    for (const table of ['views', 'shares', 'marks']) await schema.dropTable(table)
  },
}
