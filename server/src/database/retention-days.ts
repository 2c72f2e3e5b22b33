// How much of a plan's runs was deleted by a rule of late.
import { DataTypes } from 'sequelize'
import type { Migration } from './migration.js'

export const retentionDays: Migration = {
  name: '017-retention-days',
  async up(schema) {
    const number = { type: DataTypes.INTEGER, allowNull: false }
    await schema.createTable(
      'retention_days',
      {
        project_id: {
          ...number,
          primaryKey: true,
          references: { model: 'projects', key: 'id' },
          onDelete: 'CASCADE',
        },
        plan_file: { type: DataTypes.STRING(500), primaryKey: true },
        since: { type: DataTypes.DATE(3), allowNull: false },
        had: number,
        deleted: number,
      },
      { charset: 'utf8mb4', collate: 'utf8mb4_bin' },
    )
  },
  async down(schema) {
    await schema.dropTable('retention_days')
  },
}
