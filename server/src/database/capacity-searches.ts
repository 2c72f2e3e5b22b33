// Searches for a capacity: a kind of their own beside runs, since none of them is one load with one verdict.
import { DataTypes } from 'sequelize'
import type { Migration } from './migration.js'

export const capacitySearches: Migration = {
  name: '026-searches-for-a-capacity',
  async up(schema) {
    const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
    const moment = { type: DataTypes.DATE(3), allowNull: true }
    const json = { type: DataTypes.TEXT('long'), allowNull: true }
    await schema.createTable(
      'capacity_searches',
      {
        id: { type: DataTypes.STRING(10), primaryKey: true },
        project_id: {
          ...{ type: DataTypes.INTEGER, allowNull: false, onDelete: 'CASCADE' },
          references: { model: 'projects', key: 'id' },
        },
        ...{ plan_file: text(500), plan_name: text(300), target_name: text(300) },
        commit: { type: DataTypes.STRING(64), allowNull: true },
        branch: { type: DataTypes.STRING(200), allowNull: true },
        dirty: { type: DataTypes.BOOLEAN, allowNull: false },
        ...{ started_by: text(200), state: text(10), goal: json, trials: json, capacity: json },
        ...{ asked_at: { ...moment, allowNull: false }, started_at: moment, ended_at: moment },
      },
      { charset: 'utf8mb4', collate: 'utf8mb4_bin' },
    )
    await schema.addIndex('capacity_searches', ['project_id', 'asked_at'])
    await schema.addIndex('capacity_searches', ['state'])
  },
  async down(schema) {
    await schema.dropTable('capacity_searches')
  },
}
