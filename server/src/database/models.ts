// What MariaDB holds, as Sequelize models.
import type { Sequelize } from 'sequelize'
import { defineCapacity } from './models/capacity.js'
import { definePeople } from './models/people.js'
import { definePipelines } from './models/pipelines.js'
import { defineProjects } from './models/projects.js'
import { defineReading } from './models/reading.js'
import { defineRuns } from './models/runs.js'
import { defineWebhooks } from './models/webhooks.js'

export * from './models/capacity.js'
export * from './models/people.js'
export * from './models/pipelines.js'
export * from './models/projects.js'
export * from './models/reading.js'
export * from './models/runs.js'
export * from './models/webhooks.js'

/** Binds all models to a connection. */
export function defineModels(sequelize: Sequelize): void {
  const all = [defineProjects, defineRuns, defineReading, defineCapacity, definePeople, definePipelines, defineWebhooks]
  for (const define of all) define(sequelize)
}
