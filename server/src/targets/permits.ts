// Whether a load may go to a target now: its permission, and proof that who gives it controls the target.
import { permissionFault, type AskedLoad, type Target } from '@jolt-gate/core'
import { controlNeeded, proveControl, type ControlFound } from '@jolt-gate/engine'
import { ApprovalRow } from '../database/models.js'
import { Problem } from '../http/problem.js'

export type Control = ControlFound & { approvedBy: string | undefined }

/** What is known of the control of each origin, asked for anew. */
export async function controlOf(projectId: number, target: Target): Promise<Control[]> {
  const needed = controlNeeded(target)
  const approvals = await ApprovalRow.findAll({ where: { projectId, token: needed.map(({ token }) => token) } })
  const found = await proveControl(needed.filter(({ token }) => !approvals.some((approve) => approve.token === token)))
  return needed.map((one) => {
    const approve = approvals.find(({ token }) => token === one.token)
    const proof = found.find(({ token }) => token === one.token)
    return { ...(proof ?? { ...one, isProven: true }), approvedBy: approve?.by }
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
      `${target.name}: control of ${missing.origin} is not proven. Serve the token ${missing.token} as text at ${missing.url}, or have an administrator approve it`,
    )
}
