// A person as others may see them.
import type { Person } from '@jolt-gate/core/api'
import type { PersonRow } from '../database/models.js'

export function publicPerson({ id, name, email, role }: PersonRow): Person {
  return { id, name, email, role }
}
