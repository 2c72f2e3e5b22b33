// A run is queued, running or ended; which part of it runs stands beside that. A step in a trend is a shift.
import { DataTypes, QueryTypes } from 'sequelize'
import type { Migration } from './migration.js'

const UP = [
  "UPDATE runs SET part = state, state = 'running' WHERE state IN ('setup', 'load', 'teardown')",
  "UPDATE runs SET state = 'queued' WHERE state = 'waiting'",
  "UPDATE stage_runs SET state = 'queued' WHERE state = 'waiting'",
  `UPDATE webhooks SET events = REPLACE(events, '"trend.changed"', '"trend.shift"')`,
  // By its id an event is told once: that of old stays known.
  "UPDATE deliveries SET type = 'trend.shift', event_id = REPLACE(event_id, 'trend.changed/', 'trend.shift/') WHERE type = 'trend.changed'",
]
const DOWN = [
  "UPDATE runs SET state = COALESCE(part, 'setup') WHERE state = 'running'",
  "UPDATE runs SET state = 'waiting' WHERE state = 'queued'",
  "UPDATE stage_runs SET state = 'waiting' WHERE state = 'queued'",
  `UPDATE webhooks SET events = REPLACE(events, '"trend.shift"', '"trend.changed"')`,
  "UPDATE deliveries SET type = 'trend.changed', event_id = REPLACE(event_id, 'trend.shift/', 'trend.changed/') WHERE type = 'trend.shift'",
  'ALTER TABLE runs DROP COLUMN part',
]

export const runStates: Migration = {
  name: '024-states-of-runs',
  async up(schema) {
    await schema.addColumn('runs', 'part', { type: DataTypes.STRING(20), allowNull: true })
    for (const statement of UP) await schema.sequelize.query(statement, { type: QueryTypes.RAW })
  },
  async down(schema) {
    for (const statement of DOWN) await schema.sequelize.query(statement, { type: QueryTypes.RAW })
  },
}
