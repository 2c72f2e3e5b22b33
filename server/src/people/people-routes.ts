// People as administrators keep them: added, given roles, removed.
import { ROUTES, type Role } from '@jolt-gate/core/api'
import { Router } from 'express'
import { PersonRow, ProjectRoleRow, ProjectRow, SigningKeyRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from './audit-log.js'
import { hashPassword } from './passwords.js'
import { publicPerson } from './public-person.js'
import { endSessionsOf, endStreamsOf, endTokensOf } from './sessions.js'

// eslint-disable-next-line max-lines-per-function -- one route after another
export function peopleRoutes(): Router {
  const routes = Router()
  serve(routes, ROUTES.people, async () => {
    const [people, roles] = await Promise.all([
      PersonRow.findAll({ order: [['name', 'ASC']] }),
      ProjectRoleRow.findAll({ order: [['projectId', 'ASC']] }),
    ])
    return {
      people: people.map((person) => ({
        ...publicPerson(person),
        projects: roles
          .filter(({ personId }) => personId === person.id)
          .map(({ projectId, role }) => ({ project: projectId, role })),
      })),
    }
  })

  serve(routes, ROUTES.addPerson, async ({ person: administrator, body }) => {
    if ((await PersonRow.findOne({ where: { email: body.email } })) !== null)
      throw new Problem(409, 'KNOWN', `${body.email} has an account already`)
    const person = await PersonRow.create({
      ...body,
      password: await hashPassword(body.password),
      madeAt: new Date(),
    })
    await noteOf(administrator, 'added a person', `${person.name}, ${person.role}`)
    return publicPerson(person)
  })

  serve(routes, ROUTES.changeRole, async ({ person: administrator, params, body: { role } }) => {
    const person = await personOf(params.person)
    await refuseLastAdministrator(person, role)
    await person.update({ role })
    await endStreamsOf(person.id)
    await noteOf(administrator, 'changed a role', `${person.name} is ${role}`)
    return publicPerson(person)
  })

  serve(routes, ROUTES.setProjectRole, async ({ person: administrator, params, body: { role } }) => {
    const person = await personOf(params.person)
    const project = /^\d{1,9}$/.test(params.id) ? await ProjectRow.findByPk(Number(params.id)) : null
    if (project === null) throw new Problem(404, 'NO_PROJECT', `there is no project ${params.id}`)
    const place = { projectId: project.id, personId: person.id }
    if (role === null) await ProjectRoleRow.destroy({ where: place })
    else await ProjectRoleRow.upsert({ ...place, role })
    await endStreamsOf(person.id)
    await noteOf(
      administrator,
      'changed a role',
      `${person.name} is ${role ?? person.role} in ${project.name}`,
      project.id,
    )
    return undefined
  })

  serve(routes, ROUTES.resetPassword, async ({ person: administrator, params, body: { password } }) => {
    const person = await personOf(params.person)
    await person.update({ password: await hashPassword(password) })
    await endSessionsOf(person.id)
    // Whoever knew the old password may have made tokens with it.
    const tokens = await endTokensOf(person.id)
    await noteOf(
      administrator,
      'reset a password',
      tokens === 0 ? person.name : `${person.name}, and ended tokens: ${String(tokens)}`,
    )
    return undefined
  })

  serve(routes, ROUTES.removePerson, async ({ person: administrator, params }) => {
    const person = await personOf(params.person)
    await refuseLastAdministrator(person, undefined)
    await endSessionsOf(person.id)
    await endTokensOf(person.id)
    await SigningKeyRow.destroy({ where: { personId: person.id } })
    await person.destroy()
    await noteOf(administrator, 'removed a person', person.name)
    return undefined
  })

  return routes
}

async function personOf(id: string): Promise<PersonRow> {
  const person = /^\d{1,9}$/.test(id) ? await PersonRow.findByPk(Number(id)) : null
  if (person === null) throw new Problem(404, 'NO_PERSON', 'no such person')
  return person
}

/** A place without an administrator could never be kept again. */
async function refuseLastAdministrator(person: PersonRow, next: Role | undefined): Promise<void> {
  if (person.role !== 'administrator' || next === 'administrator') return
  if ((await PersonRow.count({ where: { role: 'administrator' } })) === 1)
    throw new Problem(409, 'LAST_ADMINISTRATOR', 'this is the last administrator: appoint another one first')
}
