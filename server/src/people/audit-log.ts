// The audit trail: who did what, and when. It is only ever added to.
import { TrailRow } from '../database/models.js'

export interface Deed {
  personId: number | null
  /** The name as it was then: people may go. */
  who: string
  deed: string
  detail: string
  projectId?: number | null
}

export async function note({ personId, who, deed, detail, projectId = null }: Deed): Promise<void> {
  await TrailRow.create({ at: new Date(), personId, who, deed, detail: detail.slice(0, 1000), projectId })
}

/** A deed of a person. */
export function noteOf(
  person: { id: number; name: string },
  deed: string,
  detail: string,
  projectId: number | null = null,
): Promise<void> {
  return note({ personId: person.id, who: person.name, deed, detail, projectId })
}
