// What goes out to others and what they tell us: webhooks with their deliveries, pushes to repositories elsewhere,
// public badges; and what a project may spend in a day.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
const moment = { type: DataTypes.DATE(3), allowNull: false }
const key = { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true }
const of = (model: string) => ({
  type: DataTypes.INTEGER,
  allowNull: false,
  references: { model, key: 'id' },
  onDelete: 'CASCADE',
})
const flag = { type: DataTypes.BOOLEAN, allowNull: false }
const options = { charset: 'utf8mb4', collate: 'utf8mb4_bin' }
const OF_PROJECTS = {
  most_runs_a_day: { type: DataTypes.INTEGER, allowNull: true },
  most_minutes_a_day: { type: DataTypes.INTEGER, allowNull: true },
  badge_key: { type: DataTypes.STRING(40), allowNull: true, unique: true },
}

export const webhooks: Migration = {
  name: '016-webhooks-pushes-budgets-badges',
  // eslint-disable-next-line max-lines-per-function -- one table after another
  async up(schema) {
    await schema.createTable(
      'webhooks',
      {
        id: key,
        project_id: of('projects'),
        url: text(700),
        events: { type: DataTypes.TEXT('long'), allowNull: false },
        sealed: { type: DataTypes.TEXT, allowNull: false },
        is_paused: flag,
        made_by: text(200),
        made_at: moment,
      },
      options,
    )
    await schema.createTable(
      'deliveries',
      {
        id: key,
        webhook_id: of('webhooks'),
        event_id: text(100),
        type: text(40),
        subject: text(300),
        body: { type: DataTypes.TEXT('medium'), allowNull: false },
        state: text(20),
        attempts: { type: DataTypes.INTEGER, allowNull: false },
        answer: text(300),
        made_at: moment,
        next_at: moment,
        answered_at: { ...moment, allowNull: true },
      },
      options,
    )
    await schema.addIndex('deliveries', ['webhook_id', 'event_id'], { unique: true })
    await schema.addIndex('deliveries', ['state', 'next_at'])
    await schema.createTable(
      'push_sources',
      {
        id: key,
        project_id: of('projects'),
        repository: text(500),
        sealed: { type: DataTypes.TEXT, allowNull: false },
        made_by: text(200),
        made_at: moment,
      },
      options,
    )
    await schema.addIndex('push_sources', ['project_id', 'repository'], { unique: true })
    await schema.createTable(
      'pushes',
      {
        id: key,
        source_id: of('push_sources'),
        project_id: of('projects'),
        message_id: text(100),
        branch: text(200),
        commit: text(64),
        message: text(300),
        who: text(200),
        at: moment,
        is_begun: flag,
      },
      options,
    )
    await schema.addIndex('pushes', ['source_id', 'message_id'], { unique: true })
    await schema.addIndex('pushes', ['project_id', 'commit'])
    await schema.addColumn('stage_runs', 'source_id', { type: DataTypes.INTEGER, allowNull: true })
    for (const [name, column] of Object.entries(OF_PROJECTS)) await schema.addColumn('projects', name, column)
  },
  async down(schema) {
    const drop = (table: string, column: string) =>
      schema.sequelize.query(`ALTER TABLE ${table} DROP COLUMN ${column}`, { type: QueryTypes.RAW })
    for (const name of Object.keys(OF_PROJECTS)) await drop('projects', name)
    await drop('stage_runs', 'source_id')
    for (const table of ['pushes', 'push_sources', 'deliveries', 'webhooks']) await schema.dropTable(table)
  },
}
