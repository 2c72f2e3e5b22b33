// The audit log: who did what, and when. It is only ever added to.
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

export async function note({ personId, who, event, detail, projectId = null }: NewAuditEvent): Promise<void> {
  await EventRow.create({ at: new Date(), personId, who, event, detail: detail.slice(0, 1000), projectId })
  // Whatever changes in a project is noted here.
  if (projectId !== null) CHANGES.emit('project', projectId)
}

/** An event of a person. */
export function noteOf(
  person: { id: number; name: string },
  event: string,
  detail: string,
  projectId: number | null = null,
): Promise<void> {
  return note({ personId: person.id, who: person.name, event, detail, projectId })
}
