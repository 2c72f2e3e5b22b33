// The keys by which somebody signs commits, in their own account.
import { ROUTES, type SigningKeyLine } from '@jolt-gate/core/api'
import { Router } from 'express'
import { SigningKeyRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { keyIn } from './ssh-signature.js'

const MOST_KEYS = 20

export function signingKeyRoutes(): Router {
  const routes = Router()

  serve(routes, ROUTES.signingKeys, async ({ person }) => {
    const rows = await SigningKeyRow.findAll({ where: { personId: person.id }, order: [['id', 'ASC']] })
    return { keys: rows.map(lineOf) }
  })

  serve(routes, ROUTES.addSigningKey, async ({ person, body: { label, publicKey } }) => {
    const key = keyIn(publicKey)
    if (key === undefined)
      throw new Problem(
        400,
        'BAD_FIELD',
        'this is no public key of Ed25519, as ssh-keygen -t ed25519 writes it to NAME.pub',
      )
    // One key is one person's: whose word a signature is must be known.
    if ((await SigningKeyRow.count({ where: { publicKey: key } })) > 0)
      throw new Problem(409, 'KNOWN', 'this key is registered already')
    if ((await SigningKeyRow.count({ where: { personId: person.id } })) >= MOST_KEYS)
      throw new Problem(409, 'TOO_MANY', `you have ${String(MOST_KEYS)} keys: remove one first`)
    const row = await SigningKeyRow.create({ personId: person.id, label, publicKey: key, madeAt: new Date() })
    await noteOf(person, 'registered a signing key', label)
    return lineOf(row)
  })

  serve(routes, ROUTES.removeSigningKey, async ({ person, params }) => {
    const id = /^\d{1,9}$/.test(params.key) ? Number(params.key) : 0
    const row = await SigningKeyRow.findOne({ where: { personId: person.id, id } })
    if (row === null) throw new Problem(404, 'NO_KEY', 'you have no such key')
    await row.destroy()
    await noteOf(person, 'removed a signing key', row.label)
    return undefined
  })

  return routes
}

const lineOf = ({ id, label, publicKey, madeAt }: SigningKeyRow): SigningKeyLine => ({
  ...{ id, label, publicKey },
  madeAt: madeAt.toISOString(),
})
