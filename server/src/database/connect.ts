// A connection to MariaDB with its schema brought up to date.
import { Sequelize } from 'sequelize'
import { SequelizeStorage, Umzug } from 'umzug'
import { LIMITS_OF_TIME, wayTo, type DatabaseAddress } from './address.js'
import type { Migration } from './migration.js'
import { MIGRATIONS } from './migrations.js'
import { StartFault } from './start-fault.js'
import { defineModels } from './models.js'
import { forgetNotes, prepareNotes, resumable } from './resumable.js'

/** Enough for what one process reads and writes at once; MariaDB allows 151 for all its clients. */
const CONNECTIONS = 8
/** Others may have all connections for a moment: five seconds in all. */
const WAITING = { max: 20, backoffBase: 250, backoffExponent: 1 }

/**
 * Opens the database; its schema is not touched yet.
 *
 * @param isLimited - whether what is asked must end within a time
 */
export function openDatabase(address: DatabaseAddress, isLimited = true): Sequelize {
  const sequelize = new Sequelize({
    dialect: 'mariadb',
    username: address.user,
    database: address.database,
    ...(address.password === undefined ? {} : { password: address.password }),
    dialectOptions: { ...wayTo(address), ...(isLimited ? LIMITS_OF_TIME : {}) },
    logging: false,
    pool: { max: address.connections ?? CONNECTIONS },
    retry: { match: [/Too many connections/], ...WAITING },
  })
  defineModels(sequelize)
  return sequelize
}

/** The migrations of a database, to go up or back. */
export function migratorOf(sequelize: Sequelize): Umzug {
  const schema = sequelize.getQueryInterface()
  const oneWay = async (way: 'up' | 'down', { name, ...ways }: Migration) => {
    await prepareNotes(schema)
    await ways[way](await resumable(schema, `${name} ${way}`))
  }
  const migrator = new Umzug({
    migrations: MIGRATIONS.map((one) => ({
      name: one.name,
      up: () => oneWay('up', one),
      down: () => oneWay('down', one),
    })),
    storage: new SequelizeStorage({ sequelize, tableName: 'migrations' }),
    logger: undefined,
  })
  migrator.on('migrated', ({ name }) => forgetNotes(schema, `${name} up`))
  migrator.on('reverted', ({ name }) => forgetNotes(schema, `${name} down`))
  return migrator
}

/**
 * Brings the schema up to date, wherever an earlier start has left it.
 *
 * @throws Error where a newer server has changed it already
 */
export async function bringUpToDate(sequelize: Sequelize): Promise<void> {
  const known = new Set(MIGRATIONS.map(({ name }) => name))
  const newer = (await executedIn(sequelize)).find((name) => !known.has(name))
  if (newer !== undefined)
    throw new StartFault(`the database is of a newer server (migration ${newer}): start that version or a later one`)
  await migratorOf(sequelize).up()
}

/** Brings the schema of a database up to date, however long that takes. */
export async function migrate(address: DatabaseAddress): Promise<void> {
  const sequelize = openDatabase(address, false)
  try {
    await bringUpToDate(sequelize)
  } finally {
    await sequelize.close()
  }
}

async function executedIn(sequelize: Sequelize): Promise<string[]> {
  return new SequelizeStorage({ sequelize, tableName: 'migrations' }).executed()
}
