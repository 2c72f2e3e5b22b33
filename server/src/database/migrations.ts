// Changes of the schema, in order, each with a way back.
import { DataTypes, QueryTypes, type QueryInterface } from 'sequelize'
import type { Migration } from './migration.js'
import { reading } from './reading.js'
import { pipelines } from './pipelines.js'
import { reported } from './reported.js'
import { notes } from './notes.js'
import { stageRuns } from './stage-runs.js'
import { runParts } from './run-parts.js'
import { trends } from './trends.js'
import { retentionDays } from './retention-days.js'
import { narrowDoors } from './narrow-doors.js'
import { signingKeys } from './signing-keys.js'
import { auditChain } from './audit-chain.js'
import { protectedBranches } from './protected-branches.js'
import { runsMade } from './runs-made.js'
import { webhooks } from './webhooks.js'
import { capacitySearches } from './capacity-searches.js'
import { baselineRuns } from './baseline-runs.js'
import { runStates } from './run-states.js'
import { severities } from './severities.js'

const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
const number = { type: DataTypes.INTEGER, allowNull: false }
const key = { ...number, primaryKey: true, autoIncrement: true }
const long = { type: DataTypes.TEXT('long'), allowNull: true }
const runKey = {
  type: DataTypes.STRING(20),
  allowNull: false,
  references: { model: 'runs', key: 'id' },
  onDelete: 'CASCADE',
}
const options = { charset: 'utf8mb4', collate: 'utf8mb4_bin' }

const firstTables: Migration = {
  name: '001-projects-and-runs',
  // eslint-disable-next-line max-lines-per-function -- one table after another
  async up(schema) {
    await schema.createTable('projects', { id: key, name: text(200), path: { ...text(700), unique: true } }, options)
    await schema.createTable(
      'runs',
      {
        id: { type: DataTypes.STRING(20), primaryKey: true },
        project_id: { ...number, references: { model: 'projects', key: 'id' }, onDelete: 'CASCADE' },
        number,
        plan_file: text(500),
        plan_name: text(300),
        target_name: text(300),
        origin: text(300),
        commit: DataTypes.STRING(64),
        branch: DataTypes.STRING(200),
        dirty: { type: DataTypes.BOOLEAN, allowNull: false },
        state: text(20),
        verdict: DataTypes.STRING(20),
        reasons: long,
        plan: long,
        shape: long,
        spark: long,
        result: long,
        asked_at: { type: DataTypes.DATE(3), allowNull: false },
        started_at: DataTypes.DATE(3),
        ended_at: DataTypes.DATE(3),
      },
      options,
    )
    await schema.addIndex('runs', ['project_id', 'number'], { unique: true })
    await schema.createTable(
      'run_buckets',
      {
        run_id: { ...runKey, primaryKey: true },
        second: { ...number, primaryKey: true },
        data: { type: DataTypes.BLOB('medium'), allowNull: false },
      },
      options,
    )
    await schema.createTable(
      'gate_results',
      {
        run_id: { ...runKey, primaryKey: true },
        position: { ...number, primaryKey: true },
        rule: text(1000),
        status: text(20),
        observed: DataTypes.DOUBLE,
        limit_value: { type: DataTypes.DOUBLE, allowNull: true },
        unit: text(10),
      },
      options,
    )
    await schema.createTable(
      'failures',
      {
        id: key,
        run_id: runKey,
        step: text(300),
        kind: text(40),
        detail: text(500),
        count: number,
        first_at_ms: { type: DataTypes.DOUBLE, allowNull: false },
        sample: text(1000),
      },
      options,
    )
  },
  async down(schema) {
    for (const table of ['failures', 'gate_results', 'run_buckets', 'runs', 'projects']) await schema.dropTable(table)
  },
}

const people: Migration = {
  name: '002-people-secrets-and-rehearsals',
  // eslint-disable-next-line max-lines-per-function -- one table after another
  async up(schema) {
    const moment = { type: DataTypes.DATE(3), allowNull: false }
    const personKey = { ...number, references: { model: 'people', key: 'id' }, onDelete: 'CASCADE' }
    const projectKey = { ...number, references: { model: 'projects', key: 'id' }, onDelete: 'CASCADE' }
    await schema.createTable(
      'people',
      {
        id: key,
        name: text(100),
        email: { ...text(200), unique: true },
        role: text(20),
        password: DataTypes.STRING(200),
        made_at: moment,
      },
      options,
    )
    await schema.createTable(
      'sessions',
      { hash: { ...text(64), primaryKey: true }, person_id: personKey, csrf: text(40), expires_at: moment },
      options,
    )
    await schema.createTable(
      'tokens',
      {
        id: key,
        person_id: personKey,
        label: text(100),
        scopes: text(100),
        hash: { ...text(64), unique: true },
        expires_at: moment,
        used_at: DataTypes.DATE(3),
      },
      options,
    )
    // What was done stays told when the person or the project has gone.
    await schema.createTable(
      'trail',
      {
        id: key,
        at: moment,
        person_id: DataTypes.INTEGER,
        who: text(200),
        deed: text(100),
        detail: text(1000),
        project_id: DataTypes.INTEGER,
      },
      options,
    )
    await schema.createTable(
      'secrets',
      {
        project_id: { ...projectKey, primaryKey: true },
        target: { ...text(200), primaryKey: true },
        name: { ...text(100), primaryKey: true },
        sealed: { type: DataTypes.TEXT, allowNull: false },
      },
      options,
    )
    await schema.createTable(
      'vouches',
      {
        project_id: { ...projectKey, primaryKey: true },
        token: { ...text(40), primaryKey: true },
        words: text(2000),
        by: text(200),
        at: moment,
      },
      options,
    )
    await schema.createTable(
      'rehearsals',
      {
        id: { ...text(20), primaryKey: true },
        project_id: projectKey,
        plan_file: text(500),
        at: moment,
        passed: { type: DataTypes.BOOLEAN, allowNull: false },
        rehearsal: long,
      },
      options,
    )
  },
  async down(schema) {
    for (const table of ['rehearsals', 'vouches', 'secrets', 'trail', 'tokens', 'sessions', 'people'])
      await schema.dropTable(table)
  },
}

const secondEdition: Migration = {
  name: '003-words-of-the-second-edition',
  async up(schema) {
    await schema.renameTable('trail', 'events')
    await schema.renameColumn('events', 'deed', 'event')
    await schema.renameTable('vouches', 'approvals')
    await rename(schema, 'people', 'role', 'keeper', 'administrator')
    await rename(schema, 'failures', 'kind', 'name', 'dns')
  },
  async down(schema) {
    await rename(schema, 'failures', 'kind', 'dns', 'name')
    await rename(schema, 'people', 'role', 'administrator', 'keeper')
    await schema.renameTable('approvals', 'vouches')
    await schema.renameColumn('events', 'event', 'deed')
    await schema.renameTable('events', 'trail')
  },
}

async function rename(schema: QueryInterface, table: string, column: string, from: string, to: string): Promise<void> {
  await schema.bulkUpdate(table, { [column]: to }, { [column]: from })
}

const boundSecrets: Migration = {
  name: '004-secrets-belong-to-addresses',
  async up(schema) {
    await schema.addColumn('secrets', 'bound', DataTypes.STRING(64))
  },
  async down(schema) {
    // `removeColumn` asks for constraints first, in a way that the connector does not bear.
    await schema.sequelize.query('ALTER TABLE secrets DROP COLUMN bound', { type: QueryTypes.RAW })
  },
}

const projectRoles: Migration = {
  name: '006-roles-per-project',
  async up(schema) {
    const key = (model: string) => ({
      ...number,
      primaryKey: true,
      references: { model, key: 'id' },
      onDelete: 'CASCADE',
    })
    await schema.createTable(
      'project_roles',
      { project_id: key('projects'), person_id: key('people'), role: text(20) },
      options,
    )
  },
  async down(schema) {
    await schema.dropTable('project_roles')
  },
}

const subjects: Migration = {
  name: '007-people-of-a-sign-in-provider',
  async up(schema) {
    await schema.addColumn('people', 'subject', { type: DataTypes.STRING(500), allowNull: true, unique: true })
  },
  async down(schema) {
    await schema.sequelize.query('ALTER TABLE people DROP COLUMN subject', { type: QueryTypes.RAW })
  },
}

const remotes: Migration = {
  name: '008-remotes-of-projects',
  async up(schema) {
    const projectKey = {
      ...number,
      primaryKey: true,
      references: { model: 'projects', key: 'id' },
      onDelete: 'CASCADE',
    }
    await schema.createTable(
      'remotes',
      { project_id: projectKey, url: text(700), sealed: { type: DataTypes.TEXT, allowNull: true } },
      options,
    )
  },
  async down(schema) {
    await schema.dropTable('remotes')
  },
}

const LIST_INDEXES = ['verdict', 'target_name', 'branch'].map((column) => ['project_id', column, 'number'])
/** Lists are filtered, searched and paged by the database. */
const runLists: Migration = {
  name: '009-lists-of-runs',
  async up(schema) {
    await schema.addColumn('runs', 'impact', { type: DataTypes.STRING(20), allowNull: true })
    await schema.addColumn('runs', 'started_by', { type: DataTypes.STRING(200), allowNull: true })
    await schema.addColumn('runs', 'searched', { ...text(1000), defaultValue: '' })
    await schema.sequelize.query(
      "UPDATE runs SET searched = LEFT(LOWER(CONCAT_WS(' ', number, plan_name, plan_file, target_name, branch, `commit`)), 1000)",
      { type: QueryTypes.RAW },
    )
    for (const columns of LIST_INDEXES) await schema.addIndex('runs', columns)
    await schema.addIndex('runs', ['project_id', 'asked_at'])
  },
  async down(schema) {
    for (const columns of [...LIST_INDEXES, ['project_id', 'asked_at']]) await schema.removeIndex('runs', columns)
    for (const column of ['impact', 'started_by', 'searched'])
      await schema.sequelize.query(`ALTER TABLE runs DROP COLUMN ${column}`, { type: QueryTypes.RAW })
  },
}

export const MIGRATIONS: readonly Migration[] = [
  firstTables,
  people,
  secondEdition,
  boundSecrets,
  runParts,
  projectRoles,
  subjects,
  remotes,
  runLists,
  trends,
  notes,
  reading,
  reported,
  pipelines,
  stageRuns,
  webhooks,
  retentionDays,
  runsMade,
  narrowDoors,
  protectedBranches,
  auditChain,
  signingKeys,
  severities,
  runStates,
  baselineRuns,
  capacitySearches,
]
