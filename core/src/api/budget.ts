// What a project may spend in a day.
import { number, object, type InferType } from 'yup'
import { json, route } from './route.js'

const atMost = (most: number) =>
  number()
    .integer('a whole number')
    .min(1, 'at least 1; leave it empty for any')
    .max(most, `at most ${String(most)}`)
    .nullable()
    .defined()
export const BUDGET = object({ runsADay: atMost(10_000), minutesADay: atMost(100_000) })
export type Budget = InferType<typeof BUDGET>
const SPENT = object({ runs: number().integer().required(), minutes: number().required() })

export const BUDGET_ROUTES = {
  budget: route({
    method: 'GET',
    path: '/projects/{project}/budget',
    summary: 'what a project may spend in a day, and what it has spent in the last 24 hours',
    needs: 'read',
    status: 200,
    answer: json(object({ budget: BUDGET.required(), spent: SPENT.required() })),
  }),
  setBudget: route({
    method: 'PUT',
    path: '/projects/{project}/budget',
    summary: 'say how many runs and how many minutes of load a project may have in a day; null for any',
    needs: 'admin',
    body: BUDGET,
    status: 200,
    answer: json(object({ budget: BUDGET.required(), spent: SPENT.required() })),
  }),
}
