// Baselines, and what became of each gate and step from run to run.
import { array, boolean, number, object, string, type InferType } from 'yup'
import { RUN_SUMMARY } from './runs.js'
import { json, nothing, route } from './route.js'

const figure = () => number().nullable().defined()
const planAndTarget = {
  plan: string().required('plan is needed: the path of a plan').max(500),
  target: string().required('target is needed: the name of a target').max(300),
  branch: string().max(200).optional(),
}

const BASELINE = object({
  run: RUN_SUMMARY.required(),
  /** Kept by a person, or the last run that was open on that branch. */
  how: string().oneOf(['pinned', 'last runs']).required(),
  branch: string().nullable().defined(),
  by: string().nullable().defined(),
  at: string().nullable().defined(),
})
export type BaselineLine = InferType<typeof BASELINE>

const TREND_RUN = RUN_SUMMARY.pick([
  'id',
  'number',
  'verdict',
  'commit',
  'branch',
  'askedAt',
  'impact',
  'startedBy',
  'requests',
  'failedShare',
  'p95',
])
export type TrendRun = InferType<typeof TREND_RUN>

const POINT = object({
  value: figure(),
  low: figure(),
  high: figure(),
  limit: figure(),
  /** Of a gate; null for a figure that no gate limits. */
  status: string()
    .oneOf(['held', 'breached', 'undecided', 'unmeasured', 'no baseline', 'not judged'])
    .nullable()
    .defined(),
})
export type TrendPoint = InferType<typeof POINT>

const SERIES = object({
  /** What is measured: a gate without its limit, or the p95 of a step. */
  name: string().required(),
  kind: string().oneOf(['gate', 'step']).required(),
  /** A gate as it is written in the latest run that has it. */
  rule: string().nullable().defined(),
  unit: string().oneOf(['ms', '/s', 'B/s', '%', 'count', 'score', 'value', 'grade']).required(),
  /** One for each run; null where the run has no such figure. */
  points: array().of(POINT.nullable().default(null)).required(),
})
export type TrendSeries = InferType<typeof SERIES>

const NOTE = object({
  id: number().integer().required(),
  run: string().required(),
  series: string().required(),
  words: string().required(),
  by: string().required(),
  at: string().required(),
})
export type TrendNote = InferType<typeof NOTE>

const TREND = object({
  /** The oldest first. */
  runs: array().of(TREND_RUN).required(),
  series: array().of(SERIES).required(),
  notes: array().of(NOTE).required(),
  baseline: BASELINE.nullable().default(null).defined(),
  /** Whether there are more runs than were asked for. */
  isCut: boolean().required(),
})
export type Trend = InferType<typeof TREND>

export const TREND_ROUTES = {
  trend: route({
    method: 'GET',
    path: '/projects/{project}/trend',
    summary: 'each gate and step of a plan against a target, run by run',
    needs: 'read',
    query: object({ ...planAndTarget, last: number().integer().min(2).max(200).optional() }),
    status: 200,
    answer: json(TREND),
  }),
  addTrendNote: route({
    method: 'POST',
    path: '/runs/{run}/trend-notes',
    summary: 'acknowledge a shift that begins with a run',
    needs: 'write',
    body: object({
      series: string().required('series is needed: what is measured').max(1000),
      words: string().trim().required('enter what is known of the change').max(1000),
    }),
    status: 201,
    answer: json(NOTE),
  }),
  removeTrendNote: route({
    method: 'DELETE',
    path: '/runs/{run}/trend-notes/{note}',
    summary: 'take an acknowledgement back',
    needs: 'write',
    status: 204,
    answer: nothing,
  }),
  baseline: route({
    method: 'GET',
    path: '/projects/{project}/baseline',
    summary: 'the run that the next run of a plan against a target is compared with',
    needs: 'read',
    query: object(planAndTarget),
    status: 200,
    answer: json(object({ baseline: BASELINE.nullable().default(null).defined() })),
  }),
  keepBaseline: route({
    method: 'PUT',
    path: '/runs/{run}/baseline',
    summary: 'keep a run as the baseline of its plan, target and branch',
    needs: 'write',
    status: 200,
    answer: json(BASELINE),
  }),
  removeBaseline: route({
    method: 'DELETE',
    path: '/runs/{run}/baseline',
    summary: 'keep a run no longer: the last runs alone are the baseline again',
    needs: 'write',
    status: 204,
    answer: nothing,
  }),
}
