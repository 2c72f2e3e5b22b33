// The contract of the API: every request and answer, declared once. The server checks what it is asked and describes
// itself by it; pages have their types from it.
import { BADGE_ROUTES } from './badges.js'
import { BUDGET_ROUTES } from './budget.js'
import { CAPACITY_ROUTES } from './capacity.js'
import { GENERATOR_ROUTES } from './generators.js'
import { LIVE_ROUTES } from './live.js'
import { MERGE_ROUTES } from './merges.js'
import { PEOPLE_ROUTES } from './people.js'
import { PIPELINE_ROUTES } from './pipelines.js'
import { PROJECT_ROUTES } from './projects.js'
import { READING_ROUTES } from './reading.js'
import { REHEARSAL_ROUTES } from './rehearsals.js'
import { REPORTED_ROUTES } from './reported.js'
import { json, ownType, route } from './route.js'
import { RUN_ROUTES } from './runs.js'
import { TARGET_ROUTES } from './targets.js'
import { TREND_ROUTES } from './trends.js'
import { WEBHOOK_ROUTES } from './webhooks.js'

export const ROUTES = {
  ...PEOPLE_ROUTES,
  ...PROJECT_ROUTES,
  ...MERGE_ROUTES,
  ...TARGET_ROUTES,
  ...REHEARSAL_ROUTES,
  ...RUN_ROUTES,
  ...TREND_ROUTES,
  ...READING_ROUTES,
  ...REPORTED_ROUTES,
  ...PIPELINE_ROUTES,
  ...WEBHOOK_ROUTES,
  ...BADGE_ROUTES,
  ...BUDGET_ROUTES,
  ...CAPACITY_ROUTES,
  ...GENERATOR_ROUTES,
  ...LIVE_ROUTES,
  description: route({
    method: 'GET',
    path: '/openapi.json',
    summary: 'this description',
    needs: 'nothing',
    status: 200,
    answer: json(ownType('OpenAPI document')),
  }),
}

export * from './problem.js'
export * from './badges.js'
export * from './budget.js'
export * from './capacity.js'
export * from './generators.js'
export * from './route.js'
export * from './people.js'
export * from './pipelines.js'
export * from './projects.js'
export * from './reading.js'
export * from './reported.js'
export * from './rehearsals.js'
export * from './merges.js'
export * from './runs.js'
export * from './live.js'
export * from './targets.js'
export * from './trends.js'
export * from './webhooks.js'
