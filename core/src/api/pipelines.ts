// Pipelines: where each change stands at each stage, admission, and consent in writing.
import { array, boolean, number, object, string, type InferType } from 'yup'
import { ADMISSION_WORDS } from '../pipeline/admission.js'
import { STAGE_STATES } from '../pipeline/stage-state.js'
import { HEAD, SAVE, SAVED } from './projects.js'
import { json, ownType, route } from './route.js'

const orNone = () => string().nullable().defined()
const wholeOrNone = () => number().integer().nullable().defined()

/** A commit as it is asked for: in full, or its first characters. */
const COMMIT = string()
  .required('commit is needed: the change under test')
  .matches(/^[0-9a-f]{7,64}$/, 'commit must be 7 to 64 hexadecimal digits')
const STAGE = string().required('stage is needed').max(300)
const PIPELINE_FILE = string().max(500)

const APPROVAL = object({
  by: string().required(),
  reason: string().required(),
  at: string().required(),
})

const PLAN_AT_CHANGE = object({
  plan: string().required(),
  name: string().required(),
  target: string().required(),
  state: string().oneOf(STAGE_STATES).required(),
  /** The last change of the plan's file up to that commit; null where no run counts, or it is not asked for. */
  changed: object({ commit: string().required(), at: string().required(), who: string().defined() })
    .nullable()
    .defined(),
  run: object({
    id: string().required(),
    number: number().integer().required(),
    commit: string().required(),
    /** The commit of the project whose plan, target and files it was read from. */
    planCommit: orNone(),
    endedAt: orNone(),
    /** The first. */
    reason: orNone(),
  })
    .nullable()
    .defined(),
  /** Later runs that do not count, with the reason. */
  ignored: array()
    .of(object({ id: string().required(), number: number().integer().required(), why: string().required() }))
    .required(),
})

const STAGE_AT_CHANGE = object({
  stage: string().required(),
  state: string().oneOf(STAGE_STATES).required(),
  /** Of all of its runs together. */
  seconds: number().required(),
  plans: array().of(PLAN_AT_CHANGE).required(),
  approval: APPROVAL.nullable().defined(),
})
export type StageCell = InferType<typeof STAGE_AT_CHANGE>

const ADMISSION = object({
  pipeline: string().required(),
  stage: string().required(),
  commit: string().required(),
  answer: string().oneOf(ADMISSION_WORDS).required(),
  /** The first reason, in one sentence. */
  words: string().required(),
  required: array()
    .of(
      object({
        stage: STAGE_AT_CHANGE.required(),
        withinMs: wholeOrNone(),
        isMet: boolean().required(),
        words: string().required(),
      }),
    )
    .required(),
  approval: APPROVAL.nullable().defined(),
})
export type AdmissionAnswer = InferType<typeof ADMISSION>

const PROBLEM_OF_FILE = object({
  line: number().integer().required(),
  column: number().integer().required(),
  message: string().required(),
})

const PIPELINE = object({
  file: string().required(),
  name: string().defined(),
  /** Errors of the file, as it is committed: with any of them it admits nothing. */
  problems: array().of(PROBLEM_OF_FILE).required(),
  stages: array()
    .of(
      object({
        name: string().required(),
        /** What it begins with, in the words of the file. */
        begins: string().defined(),
        isAdmission: boolean().required(),
        after: orNone(),
        requires: array().of(string().required()).required(),
        plans: array()
          .of(object({ file: string().required(), name: string().required(), target: string().required() }))
          .required(),
        hasApproval: boolean().required(),
      }),
    )
    .required(),
})
export type PipelineSummary = InferType<typeof PIPELINE>

const CHANGE = object({
  commit: string().required(),
  branch: orNone(),
  /** Of the commit, where this project's repository has it; else what the label "message" of its runs says. */
  message: orNone(),
  who: orNone(),
  at: string().required(),
  /** In the order of the stages; of an admission, its answer. */
  stages: array()
    .of(
      object({
        at: STAGE_AT_CHANGE.required(),
        admission: ADMISSION.nullable().defined(),
        /** Of the stage that the server runs for the change: what it waits for, or why it was not begun. */
        words: string().defined(),
      }),
    )
    .required(),
})
export type ChangeLine = InferType<typeof CHANGE>

const SCHEDULE = object({
  stage: string().required(),
  cron: string().required(),
  zone: string().required(),
  nextAt: orNone(),
  lastAt: orNone(),
  lastVerdict: string()
    .oneOf(['open', 'shut', 'void', 'stopped'] as const)
    .nullable()
    .defined(),
  isPaused: boolean().required(),
})
export type ScheduleLine = InferType<typeof SCHEDULE>

const STAGE_RUN = object({
  id: string().required(),
  stage: string().required(),
  commit: string().required(),
  branch: orNone(),
  state: string()
    .oneOf(['queued', 'running', 'ended'] as const)
    .required(),
  words: string().defined(),
})

const STAGE_ENTRY = object({
  id: string().required(),
  commit: string().required(),
  branch: orNone(),
  message: orNone(),
  /** Who or what began it. */
  by: string().defined(),
  cause: string()
    .oneOf(['push', 'schedule', 'hand', 'elsewhere'] as const)
    .required(),
  state: string().oneOf(STAGE_STATES).required(),
  /** Why it waits, or ended as it did; empty of a pipeline elsewhere. */
  words: string().defined(),
  askedAt: string().required(),
  endedAt: orNone(),
  runs: array()
    .of(
      object({
        id: string().required(),
        number: number().integer().required(),
        plan: string().required(),
        verdict: string()
          .oneOf(['open', 'shut', 'void', 'stopped'] as const)
          .nullable()
          .defined(),
        seconds: number().required(),
        /** Why it counts for no stage. */
        unfit: orNone(),
      }),
    )
    .required(),
})
export type StageEntry = InferType<typeof STAGE_ENTRY>

const PIPELINE_TEXT = HEAD.shape({
  file: string().required(),
  /** Null where there is none yet. */
  text: string().nullable().defined(),
  base: string().nullable().defined(),
  /** Texts by path of what it may name. */
  files: ownType<Record<string, string>>('files').required(),
})
const OF_FILE = object({ file: PIPELINE_FILE.required('file is needed: the path of a pipeline') })

export const PIPELINE_ROUTES = {
  pipelines: route({
    method: 'GET',
    path: '/projects/{project}/pipelines',
    summary: 'the pipelines of a project, as they are committed on its default branch',
    needs: 'read',
    status: 200,
    answer: json(object({ pipelines: array().of(PIPELINE).required() })),
  }),
  pipeline: route({
    method: 'GET',
    path: '/projects/{project}/pipeline',
    summary: 'the last changes with where each stands at each stage, the newest first',
    needs: 'read',
    query: object({
      file: PIPELINE_FILE.required('file is needed: the path of a pipeline'),
      branch: string().max(200).optional(),
    }),
    status: 200,
    answer: json(
      object({
        pipeline: PIPELINE.required(),
        branches: array().of(string().required()).required(),
        changes: array().of(CHANGE).required(),
        schedules: array().of(SCHEDULE).required(),
      }),
    ),
  }),
  pipelineText: route({
    method: 'GET',
    path: '/projects/{project}/pipeline-file',
    summary: 'the file of a pipeline, as it stands on a branch, with what it may name',
    needs: 'read',
    query: OF_FILE,
    status: 200,
    answer: json(PIPELINE_TEXT),
  }),
  savePipeline: route({
    method: 'PUT',
    path: '/projects/{project}/pipeline-file',
    summary: 'save the file of a pipeline, which must have no errors: a commit with message and author',
    needs: 'write',
    query: OF_FILE,
    body: SAVE,
    status: 200,
    answer: json(SAVED),
  }),
  stageHistory: route({
    method: 'GET',
    path: '/projects/{project}/stage-history',
    summary: 'each time that a stage was run, the latest first',
    needs: 'read',
    query: object({ pipeline: PIPELINE_FILE.optional(), stage: STAGE }),
    status: 200,
    answer: json(object({ pipeline: string().required(), entries: array().of(STAGE_ENTRY).required() })),
  }),
  runStage: route({
    method: 'POST',
    path: '/projects/{project}/stage-runs',
    summary: 'run a stage for the commit that a branch stands at; it waits until what comes before it is open',
    needs: 'run',
    body: object({ pipeline: PIPELINE_FILE.optional(), stage: STAGE }),
    status: 201,
    answer: json(STAGE_RUN),
  }),
  pauseSchedule: route({
    method: 'PUT',
    path: '/projects/{project}/schedule',
    summary: 'pause the schedule of a stage, or let it continue; times that come in between are passed over',
    needs: 'write',
    body: object({ pipeline: PIPELINE_FILE.optional(), stage: STAGE, isPaused: boolean().required() }),
    status: 200,
    answer: json(SCHEDULE),
  }),
  admission: route({
    method: 'GET',
    path: '/projects/{project}/admission',
    summary: 'may this change go on to this stage? with the reasons',
    needs: 'read',
    query: object({ stage: STAGE, commit: COMMIT, pipeline: PIPELINE_FILE.optional() }),
    status: 200,
    answer: json(ADMISSION),
  }),
  approveStage: route({
    method: 'POST',
    path: '/projects/{project}/stage-approvals',
    summary: 'approve a stage for a change; for administrators, where the stage says so',
    needs: 'admin',
    body: object({
      pipeline: PIPELINE_FILE.optional(),
      stage: STAGE,
      commit: COMMIT,
      reason: string().trim().required('reason is needed: why the change may go on').max(1000),
    }),
    status: 201,
    answer: json(ADMISSION),
  }),
}
