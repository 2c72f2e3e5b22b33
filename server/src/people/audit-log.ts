// The audit log: who did what, and when. It is only ever added to, each entry with the hash of the one before it.
import pLimit from 'p-limit'
import { Op } from 'sequelize'
import { hashOfEntry } from '../database/audit-chain.js'
import { CHANGES } from '../events/changes.js'
import { EventRow } from '../database/models.js'

/** An event that is to be added. */
interface NewAuditEvent {
  personId: number | null
  /** The name as it was then: people may go. */
  who: string
  event: string
  detail: string
  projectId?: number | null
}

/** One after another: each holds the one before. This server alone writes to its database. */
const inTurn = pLimit(1)

export async function note({ personId, who, event, detail, projectId = null }: NewAuditEvent): Promise<void> {
  const entry = { personId, event, who: stored(who, 200), detail: stored(detail, 1000), projectId }
  await inTurn(async () => {
    const last = await EventRow.findOne({ order: [['id', 'DESC']], attributes: ['hash'] })
    const at = new Date()
    await EventRow.create({ ...entry, at, hash: hashOfEntry(last?.hash ?? '', { ...entry, at }) })
  })
  CHANGES.emit('audit')
  // Whatever changes in a project is noted here.
  if (projectId !== null) CHANGES.emit('project', projectId)
}

/** A text as the database keeps it: half a pair of surrogates would become something else there. */
const stored = (text: string, most: number): string => Buffer.from(text.slice(0, most)).toString('utf8')

/** An event of a person. */
export function noteOf(
  person: { id: number; name: string },
  event: string,
  detail: string,
  projectId: number | null = null,
): Promise<void> {
  return note({ personId: person.id, who: person.name, event, detail, projectId })
}

const AT_ONCE = 2000

/** Whether each entry still bears the hash of itself and the one before it. */
export async function checkChain(): Promise<{ entries: number; brokenAt: number | null; head: string }> {
  let [entries, last, before] = [0, 0, '']
  for (;;) {
    const rows = await EventRow.findAll({
      where: { id: { [Op.gt]: last } },
      order: [['id', 'ASC']],
      limit: AT_ONCE,
    })
    if (rows.length === 0) return { entries, brokenAt: null, head: before }
    for (const row of rows) {
      if (row.hash !== hashOfEntry(before, row)) return { entries, brokenAt: row.id, head: before }
      ;[entries, last, before] = [entries + 1, row.id, row.hash]
    }
  }
}
