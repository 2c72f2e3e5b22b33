// The role of a person: the same in every project, but where a project gives another one.
import type { ProjectRole } from '@jolt-gate/core/api'
import { ProjectRoleRow, type PersonRow } from '../database/models.js'

/** Whether somebody with a role sees what is in a project. */
export const maySee = (role: ProjectRole): boolean => role !== 'none' && role !== 'reporter'

/** Administrators of the server are administrators everywhere: they could give themselves any role. */
export async function roleIn(person: PersonRow, projectId: number): Promise<ProjectRole> {
  if (person.role === 'administrator') return person.role
  const row = await ProjectRoleRow.findOne({ where: { projectId, personId: person.id } })
  return row?.role ?? person.role
}

/** Gives the role of a person in each project, for lists. */
export async function rolesOf(person: PersonRow): Promise<(projectId: number) => ProjectRole> {
  if (person.role === 'administrator') return () => 'administrator'
  const rows = await ProjectRoleRow.findAll({ where: { personId: person.id } })
  const own = new Map(rows.map(({ projectId, role }) => [projectId, role]))
  return (projectId) => own.get(projectId) ?? person.role
}
