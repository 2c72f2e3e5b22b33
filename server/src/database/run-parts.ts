// The large parts of a run move to a table of their own, and lists get columns to read instead.
import { figuresOf, lengthOf, previewOf, type Plan, type RunResult, type RunShape } from '@jolt-gate/core'
import { DataTypes, QueryTypes, type QueryInterface } from 'sequelize'
import type { Migration } from './migration.js'

const long = () => ({ type: DataTypes.TEXT('long'), allowNull: true })
const figure = () => ({ type: DataTypes.DOUBLE, allowNull: true })
const load = () => ({ type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 })
const count = () => ({ type: DataTypes.INTEGER, allowNull: true })

const COLUMNS = {
  ...{ seconds: load(), peak_rate: load(), most_users: load() },
  ...{ gates_all: count(), gates_breached: count(), requests: figure(), failed_share: figure(), p95: figure() },
}
const PARTS = ['plan', 'shape', 'result']

export const runParts: Migration = {
  name: '005-large-parts-of-runs-apart',
  async up(schema) {
    await schema.createTable(
      'run_parts',
      {
        run_id: {
          type: DataTypes.STRING(20),
          primaryKey: true,
          references: { model: 'runs', key: 'id' },
          onDelete: 'CASCADE',
        },
        ...{ plan: long(), shape: long(), result: long() },
      },
      { charset: 'utf8mb4', collate: 'utf8mb4_bin' },
    )
    await execute(
      schema,
      'INSERT INTO run_parts (run_id, plan, shape, result) SELECT id, plan, shape, result FROM runs',
    )
    for (const [name, column] of Object.entries(COLUMNS)) await schema.addColumn('runs', name, column)
    for (const { id } of await rows<{ id: string }>(schema, 'SELECT id FROM runs')) await fill(schema, id)
    for (const part of PARTS) await drop(schema, part)
    await schema.addIndex('runs', ['project_id', 'plan_file', 'number'])
  },
  async down(schema) {
    await schema.removeIndex('runs', ['project_id', 'plan_file', 'number'])
    for (const part of PARTS) await schema.addColumn('runs', part, long())
    await execute(
      schema,
      'UPDATE runs JOIN run_parts ON run_parts.run_id = runs.id SET runs.plan = run_parts.plan, runs.shape = run_parts.shape, runs.result = run_parts.result',
    )
    for (const name of Object.keys(COLUMNS)) await drop(schema, name)
    await schema.dropTable('run_parts')
  },
}

/** One run at a time: a result may be large. */
async function fill(schema: QueryInterface, id: string): Promise<void> {
  const [stored] = await rows<Record<'plan' | 'shape' | 'result', string | null>>(
    schema,
    'SELECT plan, shape, result FROM run_parts WHERE run_id = :id',
    { id },
  )
  // A run of an old version may lack what is read here: its list shows less, and it opens as before.
  const values = {
    ...figuresIf(() => ({ seconds: lengthOf(JSON.parse(stored?.shape ?? '') as RunShape) })),
    ...figuresIf(() => {
      const { peakRate, mostUsers } = previewOf(JSON.parse(stored?.plan ?? '') as Plan)
      return { peak_rate: peakRate, most_users: mostUsers }
    }),
    ...figuresIf(() => {
      const { gatesAll, gatesBreached, requests, failedShare, p95 } = figuresOf(
        JSON.parse(stored?.result ?? '') as RunResult,
      )
      return { gates_all: gatesAll, gates_breached: gatesBreached, requests, failed_share: failedShare, p95 }
    }),
  }
  if (Object.keys(values).length > 0) await schema.bulkUpdate('runs', values, { id })
}

function figuresIf<T extends Record<string, number | null>>(read: () => T): Partial<T> {
  try {
    const figures = read()
    return Object.values(figures).every((value) => value === null || Number.isFinite(value)) ? figures : {}
  } catch {
    return {}
  }
}

function rows<T extends object>(schema: QueryInterface, sql: string, replacements: Record<string, string> = {}) {
  return schema.sequelize.query<T>(sql, { type: QueryTypes.SELECT, replacements })
}

async function execute(schema: QueryInterface, sql: string): Promise<void> {
  await schema.sequelize.query(sql, { type: QueryTypes.RAW })
}

/** `removeColumn` asks for constraints first, in a way that the connector does not bear. */
const drop = (schema: QueryInterface, column: string) => execute(schema, `ALTER TABLE runs DROP COLUMN ${column}`)
