// Keys by which runners sign the results that they report. A signature says which runner it was, and not that what it
// says is true: whoever edits the pipeline's file there uses its key.
import { createPublicKey, verify } from 'node:crypto'
import { ROUTES, signedWords, type RunnerKeyLine } from '@jolt-gate/core/api'
import { Router } from 'express'
import { RunnerKeyRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'

const MOST_KEYS = 50

export function runnerKeyRoutes(): Router {
  const routes = Router()

  serve(routes, ROUTES.runnerKeys, async ({ params }) => {
    const { project } = await projectOf(params.project)
    const rows = await RunnerKeyRow.findAll({ where: { projectId: project.id }, order: [['name', 'ASC']] })
    return { keys: rows.map(lineOf) }
  })

  serve(routes, ROUTES.addRunnerKey, async ({ person, params, body: { name, publicKey } }) => {
    const { project } = await projectOf(params.project)
    refuseOtherKinds(publicKey)
    const known = await RunnerKeyRow.findAll({ where: { projectId: project.id } })
    if (known.some((one) => one.name === name)) throw new Problem(409, 'KNOWN', `there is a runner ${name} already`)
    if (known.length >= MOST_KEYS)
      throw new Problem(409, 'TOO_MANY', `a project has at most ${String(MOST_KEYS)} keys: remove one that is not used`)
    const made = { projectId: project.id, name, publicKey, madeBy: person.name, madeAt: new Date() }
    const row = await RunnerKeyRow.create(made)
    await noteOf(person, 'registered the key of a runner', name, project.id)
    return lineOf(row)
  })

  serve(routes, ROUTES.removeRunnerKey, async ({ person, params }) => {
    const { project } = await projectOf(params.project)
    const row = await RunnerKeyRow.findOne({ where: { projectId: project.id, id: Number(params.key) || 0 } })
    if (row === null) throw new Problem(404, 'NO_KEY', 'there is no such key')
    await row.destroy()
    await noteOf(person, 'removed the key of a runner', row.name, project.id)
    return undefined
  })

  return routes
}

/**
 * The runner that has signed a result.
 *
 * @param signature - as base64; undefined where it is not signed
 * @param body - as it was sent
 */
export async function runnerOf(
  { id, projectId }: { id: string; projectId: number },
  signature: string | undefined,
  body: Uint8Array,
): Promise<string | null> {
  if (signature === undefined) return null
  const signed = Buffer.concat([Buffer.from(signedWords(id)), body])
  const bytes = Buffer.from(signature, 'base64')
  const keys = await RunnerKeyRow.findAll({ where: { projectId } })
  const signer = keys.find(({ publicKey }) => verify(null, signed, publicKey, bytes))
  if (signer === undefined)
    throw new Problem(403, 'SIGNATURE', 'the signature of this result is by no key that the project has registered')
  return signer.name
}

const lineOf = ({ id, name, publicKey, madeBy, madeAt }: RunnerKeyRow): RunnerKeyLine => ({
  ...{ id, name, publicKey, madeBy },
  madeAt: madeAt.toISOString(),
})

function refuseOtherKinds(publicKey: string): void {
  let kind: string | undefined
  try {
    kind = createPublicKey(publicKey).asymmetricKeyType
  } catch {
    throw new Problem(400, 'BAD_FIELD', 'the public key cannot be read: paste all of it, from BEGIN to END')
  }
  if (kind !== 'ed25519')
    throw new Problem(400, 'BAD_FIELD', `this is a key of ${kind ?? 'another kind'}: runners sign with Ed25519`)
}
