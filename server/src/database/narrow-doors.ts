// Tokens for one project alone, and keys by which runners sign what they report.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
const projectKey = (allowNull: boolean) => ({
  ...{ type: DataTypes.INTEGER, allowNull },
  references: { model: 'projects', key: 'id' },
  onDelete: 'CASCADE',
})

export const narrowDoors: Migration = {
  name: '019-tokens-of-one-project-and-keys-of-runners',
  async up(schema) {
    await schema.addColumn('tokens', 'project_id', projectKey(true))
    await schema.addColumn('runs', 'signed_by', { type: DataTypes.STRING(100), allowNull: true })
    await schema.createTable(
      'runner_keys',
      {
        id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
        project_id: projectKey(false),
        ...{ name: text(100), public_key: text(1000), made_by: text(200) },
        made_at: { type: DataTypes.DATE(3), allowNull: false },
      },
      { charset: 'utf8mb4', collate: 'utf8mb4_bin' },
    )
  },
  async down(schema) {
    await schema.dropTable('runner_keys')
    const run = (sql: string) => schema.sequelize.query(sql, { type: QueryTypes.RAW })
    await run('ALTER TABLE runs DROP COLUMN signed_by')
    await run('ALTER TABLE tokens DROP FOREIGN KEY IF EXISTS tokens_project_id_foreign_idx')
    await run('ALTER TABLE tokens DROP COLUMN project_id')
  },
}
