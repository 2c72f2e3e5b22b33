// What trends and baselines read: figures of each step, the interval of each gate, runs that were kept, and notes.
import { DataTypes, QueryTypes, type QueryInterface } from 'sequelize'
import type { Migration } from './migration.js'

const figure = { type: DataTypes.DOUBLE, allowNull: true }
const count = { type: DataTypes.INTEGER, allowNull: false }
const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
const moment = { type: DataTypes.DATE(3), allowNull: false }
const key = (model: string, type: 'text' | 'number') => ({
  type: type === 'text' ? DataTypes.STRING(20) : DataTypes.INTEGER,
  allowNull: false,
  references: { model, key: 'id' },
  onDelete: 'CASCADE',
})
const options = { charset: 'utf8mb4', collate: 'utf8mb4_bin' }
const GATE_COLUMNS = { interval_low: figure, interval_high: figure }

export const trends: Migration = {
  name: '010-trends-and-baselines',
  async up(schema) {
    await schema.addColumn('runs', 'baseline_id', { type: DataTypes.STRING(20), allowNull: true })
    for (const [name, column] of Object.entries(GATE_COLUMNS)) await schema.addColumn('gate_results', name, column)
    await schema.addColumn('gate_results', 'borderline', {
      type: DataTypes.BOOLEAN,
      allowNull: false,
      defaultValue: false,
    })
    await schema.createTable(
      'step_results',
      {
        run_id: { ...key('runs', 'text'), primaryKey: true },
        position: { ...count, primaryKey: true },
        step: text(300),
        requests: { type: DataTypes.DOUBLE, allowNull: false },
        failed_share: figure,
        p95: figure,
      },
      options,
    )
    await schema.createTable(
      'baselines',
      { run_id: { ...key('runs', 'text'), primaryKey: true }, by: text(200), at: moment },
      options,
    )
    await schema.createTable(
      'trend_notes',
      {
        id: { ...count, primaryKey: true, autoIncrement: true },
        run_id: key('runs', 'text'),
        series: text(1000),
        words: text(1000),
        by: text(200),
        at: moment,
      },
      options,
    )
    await execute(schema, STEPS_OF_OLD)
    await execute(schema, INTERVALS_OF_OLD)
  },
  async down(schema) {
    for (const table of ['trend_notes', 'baselines', 'step_results']) await schema.dropTable(table)
    for (const column of [...Object.keys(GATE_COLUMNS), 'borderline'])
      await execute(schema, `ALTER TABLE gate_results DROP COLUMN ${column}`)
    await execute(schema, 'ALTER TABLE runs DROP COLUMN baseline_id')
  },
}

// Runs of before have all of it in their results; the database reads them, one after another.
const STEPS_OF_OLD = `
INSERT INTO step_results (run_id, position, step, requests, failed_share, p95)
SELECT run_id, step.position - 1, LEFT(step.name, 300), COALESCE(step.requests, 0), step.failed_share, step.p95
FROM run_parts, JSON_TABLE(result, '$.steps[*]' COLUMNS (
  position FOR ORDINALITY,
  name VARCHAR(1000) PATH '$.name',
  requests DOUBLE PATH '$.requests',
  failed_share DOUBLE PATH '$.failedShare',
  p95 DOUBLE PATH '$.responseTime.percentiles."95"'
)) AS step
WHERE result IS NOT NULL AND JSON_VALID(result) AND step.name IS NOT NULL`

const INTERVALS_OF_OLD = `
UPDATE gate_results JOIN (
  SELECT run_id, gate.position - 1 AS position, gate.low, gate.high, gate.borderline
  FROM run_parts, JSON_TABLE(result, '$.gates[*]' COLUMNS (
    position FOR ORDINALITY,
    low DOUBLE PATH '$.interval[0]',
    high DOUBLE PATH '$.interval[1]',
    borderline VARCHAR(5) PATH '$.borderline'
  )) AS gate
  WHERE result IS NOT NULL AND JSON_VALID(result)
) AS read_gate ON read_gate.run_id = gate_results.run_id AND read_gate.position = gate_results.position
SET interval_low = read_gate.low, interval_high = read_gate.high,
  gate_results.borderline = COALESCE(read_gate.borderline IN ('1', 'true'), FALSE)`

async function execute(schema: QueryInterface, sql: string): Promise<void> {
  await schema.sequelize.query(sql, { type: QueryTypes.RAW })
}
