// A migration that can be killed at any moment. MariaDB ends a transaction at each change of the schema, so every
// statement is noted before and after: what is noted as done is left out when the migration is made again, and the one
// that was under way may find its work done.
import { DataTypes, QueryTypes, type QueryInterface, type Sequelize } from 'sequelize'
import { numberOf } from './away.js'

export const NOTES = 'migration_steps'

/** Methods that change something, each by one statement. */
const CHANGING: readonly PropertyKey[] = [
  ...['createTable', 'dropTable', 'renameTable', 'addColumn', 'renameColumn', 'addIndex', 'removeIndex'],
  ...['bulkInsert', 'bulkUpdate', 'bulkDelete'],
]
/**
 * MariaDB's errors of what is so already: the table, column, index or constraint is there or gone, or goes by its new
 * name (1054, 1146); the rows are in.
 */
const ALREADY_SO = [1050, 1051, 1054, 1060, 1061, 1062, 1091, 1146, 1826]

type State = 'new' | 'begun' | 'done'

/** Makes the table of notes. */
export async function prepareNotes(schema: QueryInterface): Promise<void> {
  await schema.createTable(NOTES, {
    migration: { type: DataTypes.STRING(100), primaryKey: true },
    step: { type: DataTypes.INTEGER, primaryKey: true },
    is_done: { type: DataTypes.BOOLEAN, allowNull: false },
  })
}

/** Forgets the notes of a migration that is made. */
export async function forgetNotes(schema: QueryInterface, migration: string): Promise<void> {
  await schema.bulkDelete(NOTES, { migration })
}

/**
 * The schema as a migration is to see it: each of its changes is made once, however often it is begun.
 *
 * @param migration - by which its notes are found again
 */
export async function resumable(schema: QueryInterface, migration: string): Promise<QueryInterface> {
  const states = await notedStates(schema.sequelize, migration)
  let step = 0
  const once = async (change: () => unknown): Promise<unknown> => {
    const number = step++
    const state = states.get(number) ?? 'new'
    if (state === 'done') return undefined
    if (state === 'new') await schema.bulkInsert(NOTES, [{ migration, step: number, is_done: false }])
    const result = state === 'new' ? await change() : await unlessAlreadySo(change)
    await schema.bulkUpdate(NOTES, { is_done: true }, { migration, step: number })
    return result
  }
  const sequelize = new Proxy(schema.sequelize, {
    get: (target, key) => {
      const value: unknown = Reflect.get(target, key)
      if (typeof value !== 'function') return value
      return (...given: unknown[]): unknown => {
        const make = (): unknown => Reflect.apply(value, target, given)
        return key === 'query' && isChange(given[1]) ? once(make) : make()
      }
    },
  })
  return new Proxy(schema, {
    get: (target, key) => {
      if (key === 'sequelize') return sequelize
      const value: unknown = Reflect.get(target, key)
      if (typeof value !== 'function') return value
      return (...given: unknown[]): unknown => {
        const make = (): unknown => Reflect.apply(value, target, given)
        return CHANGING.includes(key) ? once(make) : make()
      }
    },
  })
}

async function unlessAlreadySo(change: () => unknown): Promise<unknown> {
  try {
    return await change()
  } catch (error) {
    // Sequelize looks for a column itself before it renames it.
    const isRenamed = error instanceof Error && /doesn't have the column/.test(error.message)
    if (!isRenamed && !ALREADY_SO.some((one) => one === numberOf(error))) throw error
    return undefined
  }
}

const isChange = (options: unknown): boolean =>
  typeof options === 'object' && options !== null && 'type' in options && options.type === QueryTypes.RAW

async function notedStates(sequelize: Sequelize, migration: string): Promise<Map<number, State>> {
  const rows = await sequelize.query<{ step: number; is_done: number }>(
    `SELECT step, is_done FROM ${NOTES} WHERE migration = :migration`,
    { type: QueryTypes.SELECT, replacements: { migration } },
  )
  return new Map(rows.map(({ step, is_done }) => [step, is_done === 1 ? 'done' : 'begun']))
}
