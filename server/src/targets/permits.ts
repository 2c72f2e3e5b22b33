// Whether a load may go to a target now: its permission, and proof that who gives it controls the target.
import { permissionFault, type AskedLoad, type Target } from '@jolt-gate/core'
import { controlNeeded, proveControl, type ControlFound } from '@jolt-gate/engine'
import { VouchRow } from '../database/models.js'
import { Problem } from '../http/problems.js'

export type Control = ControlFound & { vouchedBy: string | undefined }

/** What is known of the control of each origin, asked for anew. */
export async function controlOf(projectId: number, target: Target): Promise<Control[]> {
  const needed = controlNeeded(target)
  const vouches = await VouchRow.findAll({ where: { projectId, token: needed.map(({ token }) => token) } })
  const found = await proveControl(needed.filter(({ token }) => !vouches.some((vouch) => vouch.token === token)))
  return needed.map((one) => {
    const vouch = vouches.find(({ token }) => token === one.token)
    const proof = found.find(({ token }) => token === one.token)
    return { ...(proof ?? { ...one, isProven: true }), vouchedBy: vouch?.by }
  })
}

/** Refuses a load that is not permitted, with the reason. */
export async function refuseForbidden(projectId: number, target: Target, load: AskedLoad): Promise<void> {
  const fault = permissionFault(target, load, new Date())
  if (fault !== undefined) throw new Problem(403, 'NOT_PERMITTED', `${target.name}: ${fault}`)
  const missing = (await controlOf(projectId, target)).find(({ isProven }) => !isProven)
  if (missing !== undefined)
    throw new Problem(
      403,
      'NOT_PROVEN',
      `${target.name}: control of ${missing.origin} is not proven. Serve the token ${missing.token} as text at ${missing.url}, or have a keeper vouch for it`,
    )
}
