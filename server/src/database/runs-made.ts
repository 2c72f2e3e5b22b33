// Under which names a run was made: plans and targets are renamed, and what a run counts for stays what it was.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const COLUMNS = { made_file: 500, made_target: 300 }

export const runsMade: Migration = {
  name: '018-names-that-runs-were-made-under',
  async up(schema) {
    for (const [column, length] of Object.entries(COLUMNS))
      await schema.addColumn('runs', column, { type: DataTypes.STRING(length), allowNull: false, defaultValue: '' })
    await schema.sequelize.query('UPDATE runs SET made_file = plan_file, made_target = target_name', {
      type: QueryTypes.RAW,
    })
    await schema.addIndex('runs', ['project_id', 'made_file', 'number'])
  },
  async down(schema) {
    await schema.removeIndex('runs', ['project_id', 'made_file', 'number'])
    for (const column of Object.keys(COLUMNS))
      await schema.sequelize.query(`ALTER TABLE runs DROP COLUMN ${column}`, { type: QueryTypes.RAW })
  },
}
