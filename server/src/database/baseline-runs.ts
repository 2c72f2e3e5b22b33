// A baseline is made of several runs: which, is written to the run that was held to it.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

export const baselineRuns: Migration = {
  name: '025-runs-of-baselines',
  async up(schema) {
    await schema.addColumn('runs', 'baseline_ids', { type: DataTypes.TEXT, allowNull: true })
  },
  async down(schema) {
    await schema.sequelize.query('ALTER TABLE runs DROP COLUMN baseline_ids', { type: QueryTypes.RAW })
  },
}
