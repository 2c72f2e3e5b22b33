// Searches for a capacity: asked for, watched, stopped and kept.
import { array, boolean, number, object, string, type InferType } from 'yup'
import { CAPACITY, CAPACITY_PARTS } from '../capacity/outcome.js'
import type { CapacityGoal } from '../capacity/goal.js'
import { json, nothing, ownType, route } from './route.js'

const textOrNone = () => string().nullable().defined()
const words = () => string().max(100).optional()

export const CAPACITY_LINE = object({
  id: string().required(),
  projectId: number().required(),
  planFile: string().required(),
  planName: string().defined(),
  targetName: string().required(),
  commit: textOrNone(),
  branch: textOrNone(),
  dirty: boolean().required(),
  startedBy: string().defined(),
  state: string()
    .oneOf(['queued', 'running', 'ended'] as const)
    .required(),
  goal: ownType<CapacityGoal>('goal').required(),
  askedAt: string().required(),
  startedAt: textOrNone(),
  endedAt: textOrNone(),
  /** Of the answer, once there is one. */
  verdict: string()
    .oneOf(['open', 'shut', 'void', 'stopped'] as const)
    .nullable()
    .defined(),
  words: textOrNone(),
  load: number().nullable().defined(),
  interval: CAPACITY_PARTS.interval,
})
export type CapacityLine = InferType<typeof CAPACITY_LINE>

export const CAPACITY_DETAIL = CAPACITY_LINE.shape({
  trials: CAPACITY_PARTS.trials,
  leftOut: CAPACITY_PARTS.leftOut,
  capacity: CAPACITY.clone().nullable().default(null).defined(),
  /** What is made now. */
  making: object({
    kind: string()
      .oneOf(['trial', 'probe'] as const)
      .required(),
    load: number().required(),
    /** Without its warm-up. */
    seconds: number().required(),
    since: string().required(),
  })
    .nullable()
    .default(null)
    .defined(),
})
export type CapacityDetail = InferType<typeof CAPACITY_DETAIL>

export const CAPACITY_ROUTES = {
  findCapacity: route({
    method: 'POST',
    path: '/projects/{project}/capacity',
    summary:
      'search for the highest rate ("range"), or number of users ("users"), at which the gates of a plan hold, or decide one load ("atLeast"); it waits for its turn like a run',
    needs: 'run',
    body: object({
      plan: string().required('plan is needed: the path of a plan').max(500),
      target: string().max(200).optional(),
      ...{ range: words(), users: words(), atLeast: words(), exact: words(), hold: words(), within: words() },
    }),
    status: 201,
    answer: json(CAPACITY_LINE),
  }),
  capacitySearches: route({
    method: 'GET',
    path: '/projects/{project}/capacity',
    summary: 'searches for a capacity, newest first; those of one plan with ?plan=',
    needs: 'read',
    query: object({ plan: string().max(500).optional() }),
    status: 200,
    answer: json(object({ searches: array().of(CAPACITY_LINE).required() })),
  }),
  capacitySearch: route({
    method: 'GET',
    path: '/projects/{project}/capacity/{search}',
    summary: 'a search with its trials, and its answer once there is one',
    needs: 'read',
    status: 200,
    answer: json(CAPACITY_DETAIL),
  }),
  stopCapacity: route({
    method: 'POST',
    path: '/projects/{project}/capacity/{search}/stop',
    summary: 'stop a search that runs or waits; a trial under way is torn down',
    needs: 'run',
    status: 202,
    answer: json(object({ stopping: boolean().required() })),
  }),
  deleteCapacity: route({
    method: 'DELETE',
    path: '/projects/{project}/capacity/{search}',
    summary: 'delete a search that has ended',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
}
