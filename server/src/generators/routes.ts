// The generators of the fleet, as the page shows them.
import { Router } from 'express'
import { ROUTES, type FleetAnswer, type GeneratorLine } from '@jolt-gate/core/api'
import type { FleetAsked, FleetWatch, SeenGenerator } from '@jolt-gate/engine'
import { VERSION } from '@jolt-gate/core/identity'
import { RunRow } from '../database/models.js'
import { serve } from '../http/serve.js'
import { maySee, rolesOf } from '../people/roles.js'

/** The fleet of a server, and who watches it. */
export interface WatchedFleet extends Pick<FleetAsked, 'address'> {
  watch: FleetWatch
  hasTls: boolean
}

export function generatorRoutes(fleet: WatchedFleet | undefined): Router {
  const routes = Router()
  serve(routes, ROUTES.generators, async ({ person }): Promise<FleetAnswer> => {
    const nobody = { version: VERSION, why: null, since: null, generators: [], news: [] }
    if (fleet === undefined) return { ...nobody, state: 'none', address: null, hasTls: false }
    const { address, hasTls, watch } = fleet
    const seen = watch.seen()
    const common = { ...nobody, state: seen.state, address, hasTls }
    if (seen.state === 'joining') return common
    if (seen.state === 'away') return { ...common, why: seen.why, since: seen.since.toISOString() }
    const roleFor = await rolesOf(person)
    const doing = await runsOf(seen.generators)
    return {
      ...common,
      generators: seen.generators.map(({ run, ...one }) => ({ ...one, does: doesOf(run, doing, roleFor) })),
      news: seen.news.map(({ at, ...one }) => ({ ...one, at: at.toISOString() })),
    }
  })
  return routes
}

async function runsOf(generators: readonly SeenGenerator[]): Promise<Map<string, RunRow>> {
  const ids = [...new Set(generators.flatMap(({ run }) => (run === null ? [] : [run])))]
  if (ids.length === 0) return new Map()
  const rows = await RunRow.findAll({
    where: { id: ids },
    attributes: ['id', 'number', 'projectId', 'planName'],
  })
  return new Map(rows.map((row) => [row.id, row]))
}

/** Runs of projects that somebody may not see have no names for them; nor have those of another coordinator. */
function doesOf(
  run: string | null,
  known: ReadonlyMap<string, RunRow>,
  roleFor: (projectId: number) => Parameters<typeof maySee>[0],
): GeneratorLine['does'] {
  if (run === null) return null
  const row = known.get(run)
  if (row === undefined) return { run: null, words: 'a run that was not started here' }
  if (!maySee(roleFor(row.projectId))) return { run: null, words: 'a run of another project' }
  const { id, number, projectId, planName } = row
  return { run: { id, number, projectId }, words: planName }
}
