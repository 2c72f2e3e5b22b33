// Runs that the command makes elsewhere and reports.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const COLUMNS = {
  reported: { type: DataTypes.STRING(64), allowNull: true },
  heard_at: { type: DataTypes.DATE(3), allowNull: true },
}

export const reported: Migration = {
  name: '013-reported-runs',
  async up(schema) {
    for (const [name, column] of Object.entries(COLUMNS)) await schema.addColumn('runs', name, column)
  },
  async down(schema) {
    for (const name of Object.keys(COLUMNS))
      await schema.sequelize.query(`ALTER TABLE runs DROP COLUMN ${name}`, { type: QueryTypes.RAW })
  },
}
