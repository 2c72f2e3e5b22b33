// A connection to MariaDB with its schema brought up to date.
import { Sequelize } from 'sequelize'
import { SequelizeStorage, Umzug } from 'umzug'
import { MIGRATIONS } from './migrations.js'
import { defineModels } from './models.js'

export interface DatabaseAddress {
  socketPath: string
  user: string
  database: string
}

/** Opens the database; its schema is not touched yet. */
export function openDatabase(address: DatabaseAddress): Sequelize {
  const sequelize = new Sequelize({
    dialect: 'mariadb',
    username: address.user,
    database: address.database,
    // A busy machine may take longer than the connector's one second; a database that is gone is told at once.
    dialectOptions: { socketPath: address.socketPath, connectTimeout: 10_000 },
    logging: false,
    pool: { max: 8 },
  })
  defineModels(sequelize)
  return sequelize
}

/** The migrations of a database, to go up or back. */
export function migratorOf(sequelize: Sequelize): Umzug {
  const schema = sequelize.getQueryInterface()
  return new Umzug({
    migrations: MIGRATIONS.map(({ name, up, down }) => ({ name, up: () => up(schema), down: () => down(schema) })),
    storage: new SequelizeStorage({ sequelize, tableName: 'migrations' }),
    logger: undefined,
  })
}
