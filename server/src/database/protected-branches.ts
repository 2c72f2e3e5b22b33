// The default branch of a project may be protected: who brought which commit, and whose merge somebody has approved.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
const number = { type: DataTypes.INTEGER, allowNull: false }
const moment = { type: DataTypes.DATE(3), allowNull: false }
const options = { charset: 'utf8mb4', collate: 'utf8mb4_bin' }
const ofProject = { ...number, references: { model: 'projects', key: 'id' }, onDelete: 'CASCADE' }

export const protectedBranches: Migration = {
  name: '020-protected-default-branches',
  async up(schema) {
    await schema.addColumn('projects', 'is_protected', {
      ...{ type: DataTypes.BOOLEAN, allowNull: false },
      defaultValue: false,
    })
    await schema.createTable(
      'commit_hands',
      { project_id: { ...ofProject, primaryKey: true }, commit: { ...text(64), primaryKey: true }, person_id: number },
      options,
    )
    await schema.createTable(
      'merge_approvals',
      {
        id: { ...number, primaryKey: true, autoIncrement: true },
        ...{ project_id: ofProject, commit: text(64), person_id: number, by: text(200), at: moment },
      },
      options,
    )
    await schema.addIndex('merge_approvals', ['project_id', 'commit', 'person_id'], { unique: true })
  },
  async down(schema) {
    await schema.dropTable('merge_approvals')
    await schema.dropTable('commit_hands')
    await schema.sequelize.query('ALTER TABLE projects DROP COLUMN is_protected', { type: QueryTypes.RAW })
  },
}
