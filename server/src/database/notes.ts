// What people say of a run: a note, and labels that are searched.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

export const notes: Migration = {
  name: '011-notes-and-labels',
  async up(schema) {
    await schema.addColumn('runs', 'note', { type: DataTypes.TEXT, allowNull: true })
    await schema.addColumn('runs', 'labels', { type: DataTypes.TEXT('long'), allowNull: true })
  },
  async down(schema) {
    for (const column of ['note', 'labels'])
      await schema.sequelize.query(`ALTER TABLE runs DROP COLUMN ${column}`, { type: QueryTypes.RAW })
  },
}
