// Each entry of the audit log bears the hash of itself and of the one before it: what is changed or taken out shows.
// Beside it, when a session was used last, and how far the log has been sent elsewhere.
import { createHash } from 'node:crypto'
import { DataTypes, QueryTypes, type QueryInterface } from 'sequelize'
import type { Migration } from './migration.js'

/** What an entry says, as far as its hash holds it. */
export interface Entry {
  at: Date
  personId: number | null
  who: string
  event: string
  detail: string
  projectId: number | null
}

/** The hash of an entry (SHA-256, hexadecimal), which holds the one before it; of the first it is empty. */
export const hashOfEntry = (before: string, { at, personId, who, event, detail, projectId }: Entry): string =>
  createHash('sha256')
    .update(JSON.stringify([before, at.toISOString(), personId, who, event, detail, projectId]))
    .digest('hex')

export const auditChain: Migration = {
  name: '021-chain-of-the-audit-log',
  async up(schema) {
    await schema.addColumn('events', 'hash', { type: DataTypes.STRING(64), allowNull: false, defaultValue: '' })
    await schema.addColumn('sessions', 'used_at', { type: DataTypes.DATE(3), allowNull: true })
    await schema.createTable('audit_sent', {
      id: { type: DataTypes.INTEGER, primaryKey: true },
      event_id: { type: DataTypes.INTEGER, allowNull: false },
    })
    await chainOld(schema)
  },
  async down(schema) {
    await schema.dropTable('audit_sent')
    await schema.sequelize.query('ALTER TABLE sessions DROP COLUMN used_at', { type: QueryTypes.RAW })
    await schema.sequelize.query('ALTER TABLE events DROP COLUMN hash', { type: QueryTypes.RAW })
  },
}

interface OldRow extends Record<string, unknown> {
  id: number
  at: Date
  person_id: number | null
  who: string
  event: string
  detail: string
  project_id: number | null
}

async function chainOld(schema: QueryInterface): Promise<void> {
  let [before, last] = ['', 0]
  for (;;) {
    const rows = await schema.sequelize.query<OldRow>(
      'SELECT id, at, person_id, who, event, detail, project_id FROM events WHERE id > :last ORDER BY id LIMIT 1000',
      { replacements: { last }, type: QueryTypes.SELECT },
    )
    if (rows.length === 0) return
    for (const { id, at, person_id: personId, project_id: projectId, who, event, detail } of rows) {
      before = hashOfEntry(before, { at: new Date(at), personId, who, event, detail, projectId })
      await schema.bulkUpdate('events', { hash: before }, { id })
      last = id
    }
  }
}
