// Runs: asked for, listed, watched, stopped, and their reports.
import { array, boolean, number, object, string, type InferType } from 'yup'
import { LABEL, LABEL_WORDS, MOST_LABELS } from '../language/labels.js'
import type { Plan } from '../plan/model.js'
import type { RunShape } from '../measure/shape.js'
import type { Baseline } from '../judge/baseline.js'
import { RESULT } from '../judge/result-schema.js'
import type { RunTurn } from '../view/turns.js'
import { CAPACITY_LINE } from './capacity.js'
import { json, ownType, route, textOf } from './route.js'

const RUN_STATES = ['queued', 'running', 'ended'] as const
export type RunState = (typeof RUN_STATES)[number]
/** What runs of a run. */
export const RUN_PARTS = ['setup', 'load', 'teardown'] as const
export type RunPart = (typeof RUN_PARTS)[number]

/** What a reader of a live run hears; a bucket as base64 of its bytes. */
export type LiveEvent =
  | { kind: 'part'; part: RunPart }
  | { kind: 'bucket'; second: number; data: string }
  | RunTurn
  /** What people say of it has changed: its marks, its note, who keeps it. */
  | { kind: 'changed' }
  | { kind: 'end' }

const figureOrNone = () => number().nullable().defined()
const textOrNone = () => string().nullable().defined()

export const RUN_SUMMARY = object({
  id: string().required(),
  number: number().required(),
  planFile: string().required(),
  planName: string().defined(),
  targetName: string().required(),
  origin: string().required(),
  commit: textOrNone(),
  branch: textOrNone(),
  dirty: boolean().required(),
  state: string().oneOf(RUN_STATES).required(),
  /** While it runs, and that at which it ended. */
  part: string().oneOf(RUN_PARTS).nullable().default(null).defined(),
  verdict: string().oneOf(['open', 'shut', 'void', 'stopped']).nullable().defined(),
  reasons: array().of(string().defined()).required(),
  askedAt: string().required(),
  startedAt: textOrNone(),
  endedAt: textOrNone(),
  seconds: number().required(),
  /** A few points of the load and of the slowest times, for a small picture. */
  spark: object({
    due: array().of(number().defined()).required(),
    p95: array().of(figureOrNone()).required(),
  }).required(),
  /** Who asked for it; runs of old do not know. */
  startedBy: textOrNone(),
  labels: ownType<Record<string, string>>('labels').required(),
  /** What people say of it, in Markdown. */
  note: textOrNone(),
  impact: textOrNone(),
  gates: object({ all: number().required(), breached: number().required() }).nullable().default(null).defined(),
  requests: figureOrNone(),
  failedShare: figureOrNone(),
  p95: figureOrNone(),
})
export type RunSummary = InferType<typeof RUN_SUMMARY>

/** Something that happened while a run lasted, by a person or a pipeline. */
export const MARK = object({
  id: number().integer().required(),
  /** From the start of the load. */
  atMs: number().defined(),
  text: string().required(),
  by: string().required(),
})
export type Mark = InferType<typeof MARK>

export const RUN_DETAIL = RUN_SUMMARY.shape({
  projectId: number().required(),
  plan: ownType<Plan>('plan').required(),
  shape: ownType<RunShape>('shape of a run').required(),
  result: RESULT.clone().nullable().default(null).defined(),
  /** What its gates against a baseline are held to. */
  baseline: ownType<Baseline>('baseline').nullable().default(null).defined(),
  /** Why gates against a baseline have none, where that is so. */
  noBaseline: textOrNone(),
  /** Who keeps it as a baseline, where somebody does. */
  keptBy: textOrNone(),
  /** The runner whose key its result is signed with. */
  signedBy: textOrNone(),
  marks: array().of(MARK).required(),
})
export type RunDetail = InferType<typeof RUN_DETAIL>

const RUNS = object({ runs: array().of(RUN_SUMMARY).required() })

const LABELS = () =>
  array()
    .of(string().required().matches(LABEL, LABEL_WORDS))
    .max(MOST_LABELS, `a run has at most ${String(MOST_LABELS)} labels`)

export const RUN_VERDICTS = ['open', 'shut', 'void', 'stopped'] as const
const day = () =>
  string()
    .matches(/^\d{4}-\d{2}-\d{2}$/, 'a day such as 2026-06-01')
    .test('day', 'there is no such day', (value) => value === undefined || !Number.isNaN(Date.parse(value)))
    .optional()
/** Which runs of a project; all of it together must hold. */
/** What a list of runs can be ordered by. */
export const RUN_ORDERS = ['number', 'p95', 'requests', 'failedShare', 'seconds'] as const

const RUN_FILTER = object({
  plan: string().max(500).optional(),
  target: string().max(300).optional(),
  branch: string().max(200).optional(),
  verdict: string().oneOf(RUN_VERDICTS).optional(),
  /** In the names of plan, target and branch, in the commit, the number, who started it, the labels and the note. */
  search: string().max(200).optional(),
  /** Days in UTC, both included. */
  from: day(),
  to: day(),
  /** Runs of a lower number. */
  before: number().integer().min(1).optional(),
  /** The newest first, unless another order is asked for. */
  sort: string().oneOf(RUN_ORDERS).optional(),
  direction: string()
    .oneOf(['up', 'down'] as const)
    .optional(),
  /** From 1; a page has 50 runs. */
  page: number().integer().min(1).max(10_000).optional(),
})
export type RunFilter = InferType<typeof RUN_FILTER>

export const RUN_ROUTES = {
  queue: route({
    method: 'GET',
    path: '/queue',
    summary: 'running and queued runs, and searches for a capacity',
    needs: 'read',
    status: 200,
    answer: json(RUNS.shape({ searches: array().of(CAPACITY_LINE).required() })),
  }),
  startRun: route({
    method: 'POST',
    path: '/projects/{project}/runs',
    summary:
      'start or queue a run; with ?wait=verdict the answer comes when it has ended, after ten minutes at the latest; the same Idempotency-Key is the same run',
    needs: 'run',
    query: object({
      wait: string()
        .oneOf(['verdict'] as const)
        .optional(),
    }),
    body: object({
      plan: string().required('plan is needed: the path of a plan').max(500),
      target: string().max(200).optional(),
      labels: LABELS().optional(),
    }),
    status: 201,
    answer: json(RUN_SUMMARY),
  }),
  runs: route({
    method: 'GET',
    path: '/projects/{project}/runs',
    summary: 'list runs, newest first',
    needs: 'read',
    query: RUN_FILTER,
    status: 200,
    answer: json(RUNS.shape({ total: number().integer().required(), pageSize: number().integer().required() })),
  }),
  runChoices: route({
    method: 'GET',
    path: '/projects/{project}/runs/choices',
    summary: 'the plans, targets, branches and labels of the runs of a project',
    needs: 'read',
    status: 200,
    answer: json(
      object({
        plans: array().of(string().defined()).required(),
        targets: array().of(string().defined()).required(),
        branches: array().of(string().defined()).required(),
        /** Of its last runs, as `name=value`. */
        labels: array().of(string().defined()).required(),
      }),
    ),
  }),
  deleteRuns: route({
    method: 'POST',
    path: '/projects/{project}/runs/delete',
    summary: 'delete runs that have ended, with all that was recorded of them',
    needs: 'admin',
    body: object({ runs: array().of(string().max(20).required()).min(1, 'choose runs').max(500).required() }),
    status: 200,
    answer: json(object({ deleted: number().integer().required() })),
  }),
  run: route({
    method: 'GET',
    path: '/runs/{run}',
    summary: 'a run with its plan, shape and result; the histograms are in result.json',
    needs: 'read',
    status: 200,
    answer: json(RUN_DETAIL),
  }),
  describeRun: route({
    method: 'PATCH',
    path: '/runs/{run}',
    summary: 'write the note and the labels of a run',
    needs: 'write',
    body: object({ note: string().max(10_000).nullable().defined(), labels: LABELS().required() }),
    status: 200,
    answer: json(RUN_SUMMARY),
  }),
  runStream: route({
    method: 'GET',
    path: '/runs/{run}/stream',
    summary: 'the seconds of a run as server-sent events, resumed by Last-Event-ID',
    needs: 'read',
    status: 200,
    answer: textOf('text/event-stream'),
  }),
  stopRun: route({
    method: 'POST',
    path: '/runs/{run}/stop',
    summary: 'stop a run',
    needs: 'run',
    status: 202,
    answer: json(object({ stopping: boolean().required() })),
  }),
  runResult: route({
    method: 'GET',
    path: '/runs/{run}/result.json',
    summary: 'result.json, format 1',
    needs: 'read',
    status: 200,
    answer: json(RESULT),
  }),
  runJunit: route({
    method: 'GET',
    path: '/runs/{run}/junit.xml',
    summary: 'JUnit XML',
    needs: 'read',
    status: 200,
    answer: textOf('application/xml'),
  }),
  runMarkdown: route({
    method: 'GET',
    path: '/runs/{run}/report.md',
    summary: 'Markdown',
    needs: 'read',
    status: 200,
    answer: textOf('text/markdown'),
  }),
  runHtml: route({
    method: 'GET',
    path: '/runs/{run}/report.html',
    summary: 'the HTML report, in one file',
    needs: 'read',
    status: 200,
    answer: textOf('text/html'),
  }),
  runCsv: route({
    method: 'GET',
    path: '/runs/{run}/series.csv',
    summary: 'the run by second, as CSV',
    needs: 'read',
    status: 200,
    answer: textOf('text/csv'),
  }),
}
