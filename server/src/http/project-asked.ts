// The project that a request is about, by its address.
import type { Request } from 'express'
import { RunRow } from '../database/models.js'

/** Its number; undefined where a request is about none, or about one that is not there. */
export async function projectAsked({ params }: Request): Promise<number | undefined> {
  const { project, run } = params
  if (typeof project === 'string') return /^\d{1,9}$/.test(project) ? Number(project) : undefined
  if (typeof run !== 'string') return undefined
  return (await RunRow.findByPk(run, { attributes: ['projectId'] }))?.projectId
}
