// Projects, their plans and branches, and the past of their files.
import { array, boolean, number, object, string, type InferType } from 'yup'
import type { Preview } from '../load/preview.js'
import { ROLES } from './people.js'
import { json, ownType, route } from './route.js'
import { RUN_SUMMARY } from './runs.js'

/** A project, with the role of the one who asks. */
const PROJECT = object({
  id: number().required(),
  name: string().required(),
  role: string().oneOf(ROLES).required(),
})
export type Project = InferType<typeof PROJECT>

/** Where a working copy stands; dirty when something in it is not committed. */
export const HEAD = object({
  commit: string().nullable().defined(),
  branch: string().nullable().defined(),
  dirty: boolean().required(),
})
/** A file of 1 MB as JSON, in which a letter may take more than one. */
export const FILE_KB = 2500
const message = () => string().trim().required('enter a commit message').max(2000)
/** What a person says when a file is saved: its text, and why. */
export const SAVE = object({
  text: string().defined('text is needed').max(1_000_000),
  message: message(),
  /** Fingerprint of the text that was edited; a save over something newer is refused. */
  base: string().nullable().default(null),
})
export const SAVED = HEAD.shape({ file: string().required(), base: string().required() })
/** Says which branch of a project is asked about; see BRANCH_NAME. */
export const BRANCH_HEADER = 'jolt-gate-branch'
/** No revision of Git's (gitrevisions(7)), no whole ref: those lead elsewhere than to a branch. */
const BRANCH = /^(?!-|refs\/|.*(?:\.\.|@\{|\/\/|\.lock$|[/.]$))(?!HEAD$)[^\s\p{Cc}~^:?*[\]\\]+$/u

/** Percent-encoded, since a header has no place for all letters. */
export const BRANCH_NAME = string()
  .transform((written: unknown) => (typeof written === 'string' ? decoded(written) : written))
  .max(200)
  .matches(BRANCH, { message: 'the branch is named by its name alone', excludeEmptyString: true })
  .optional()

function decoded(written: string): string {
  try {
    return decodeURIComponent(written)
  } catch {
    return written
  }
}

const REMOTE = object({ url: string().nullable().defined(), hasPassword: boolean().required() })

const branchName = object({ name: string().trim().required('a name is needed').max(200) })
export const ofFile = { file: string().required('file is needed: a path in this project').max(700) }

const DATA_TEXT = object({ file: string().required(), text: string().defined(), base: string().required() })

const PLAN_SUMMARY = object({
  file: string().required(),
  name: string().defined(),
  about: string().defined(),
  target: string().nullable().defined(),
  journeys: number().required(),
  gates: number().required(),
  errors: number().required(),
  /** Names and lines of its steps. */
  steps: array()
    .of(object({ name: string().defined(), line: number().required() }))
    .required(),
  preview: ownType<Preview>('preview').nullable().defined(),
  lastRun: RUN_SUMMARY.clone().nullable().default(null).defined(),
})
export type PlanSummary = InferType<typeof PLAN_SUMMARY>

const PLAN_TEXT = HEAD.shape({
  file: string().required(),
  text: string().defined(),
  base: string().required(),
  /** As it stands in the last commit; null when it is in none. */
  committed: string().nullable().defined(),
  /** Texts by path of what the plan may name. */
  files: ownType<Record<string, string>>('files').required(),
  history: object({
    /** Mean time of each journey in the last run of this plan. */
    journeyMs: ownType<Record<string, number>>('times of journeys').required(),
    /** Loads under which an earlier run was open. */
    held: array()
      .of(
        object({
          target: string().required(),
          peakRate: number().required(),
          mostUsers: number().required(),
          seconds: number().required(),
        }),
      )
      .required(),
    /** What gates of the last run saw, by their sentence. */
    observed: ownType<Record<string, string>>('observed values').required(),
  }).required(),
})
export type PlanText = InferType<typeof PLAN_TEXT>

const COMMIT = object({
  commit: string().required(),
  at: string().required(),
  who: string().defined(),
  message: string().defined(),
  runs: array()
    .of(RUN_SUMMARY.pick(['id', 'number', 'verdict']))
    .required(),
})
export type CommitLine = InferType<typeof COMMIT>

export const PROJECT_ROUTES = {
  projects: route({
    method: 'GET',
    path: '/projects',
    summary: 'list projects',
    needs: 'read',
    status: 200,
    answer: json(object({ projects: array().of(PROJECT).required() })),
  }),
  addProject: route({
    method: 'POST',
    path: '/projects',
    summary: 'add a project: an existing folder, a clone, or an empty one',
    needs: 'admin',
    body: object({
      path: string().trim().max(700).optional(),
      clone: string().trim().max(700).optional(),
      name: string().trim().max(100).optional(),
    }),
    status: 201,
    answer: json(PROJECT),
  }),
  addFiles: route({
    method: 'POST',
    path: '/projects/{project}/files',
    summary: 'add files in one commit, none of them written over',
    needs: 'write',
    mostKb: 12_000,
    body: object({
      files: array()
        .of(object({ path: string().required().max(500), text: string().defined().max(8_000_000) }))
        .min(1, 'there is nothing to save')
        .max(20)
        .required(),
      message: message(),
    }),
    status: 201,
    answer: json(HEAD),
  }),
  plans: route({
    method: 'GET',
    path: '/projects/{project}/plans',
    summary: 'list plans with preview and last run',
    needs: 'read',
    status: 200,
    answer: json(HEAD.shape({ plans: array().of(PLAN_SUMMARY).required() })),
  }),
  plan: route({
    method: 'GET',
    path: '/projects/{project}/plan',
    summary: 'read a plan',
    needs: 'read',
    query: object(ofFile),
    status: 200,
    answer: json(PLAN_TEXT),
  }),
  savePlan: route({
    method: 'PUT',
    path: '/projects/{project}/plan',
    summary: 'save a plan: a commit with message and author',
    needs: 'write',
    mostKb: FILE_KB,
    query: object(ofFile),
    body: SAVE,
    status: 200,
    answer: json(SAVED),
  }),
  data: route({
    method: 'GET',
    path: '/projects/{project}/data',
    summary: 'read a data file: CSV or JSON Lines, up to 1 MB',
    needs: 'read',
    query: object(ofFile),
    status: 200,
    answer: json(DATA_TEXT),
  }),
  saveData: route({
    method: 'PUT',
    path: '/projects/{project}/data',
    summary: 'save a data file: a commit with message and author',
    needs: 'write',
    mostKb: FILE_KB,
    query: object(ofFile),
    body: SAVE,
    status: 200,
    answer: json(SAVED),
  }),
  removeFile: route({
    method: 'DELETE',
    path: '/projects/{project}/file',
    summary: 'delete a plan, a target or a data file, in a commit',
    needs: 'write',
    query: object(ofFile),
    status: 200,
    answer: json(HEAD),
  }),
  renameFile: route({
    method: 'POST',
    path: '/projects/{project}/file/name',
    summary: 'give a plan another path, in a commit; its runs go along',
    needs: 'write',
    query: object(ofFile),
    body: object({ to: string().trim().required('a path is needed, such as plans/peak.gate.yaml').max(500) }),
    status: 200,
    answer: json(HEAD),
  }),
  branches: route({
    method: 'GET',
    path: '/projects/{project}/branches',
    summary: 'list branches',
    needs: 'read',
    status: 200,
    answer: json(HEAD.shape({ branches: array().of(string().defined()).required() })),
  }),
  newBranch: route({
    method: 'POST',
    path: '/projects/{project}/branches',
    summary: 'create a branch from the one that is looked at',
    needs: 'write',
    body: branchName,
    status: 201,
    answer: json(HEAD),
  }),
  remote: route({
    method: 'GET',
    path: '/projects/{project}/remote',
    summary: 'where the branches of the project are pulled from and pushed to',
    needs: 'read',
    status: 200,
    answer: json(REMOTE),
  }),
  setRemote: route({
    method: 'PUT',
    path: '/projects/{project}/remote',
    summary:
      'set the remote; user and password may stand in the URL, and are stored encrypted. Without a URL there is none',
    needs: 'admin',
    body: object({ url: string().trim().max(700).defined() }),
    status: 200,
    answer: json(REMOTE),
  }),
  pull: route({
    method: 'POST',
    path: '/projects/{project}/remote/pull',
    summary: 'take the commits of the remote on the branch that is looked at',
    needs: 'write',
    status: 200,
    answer: json(object({ commits: number().integer().required() })),
  }),
  push: route({
    method: 'POST',
    path: '/projects/{project}/remote/push',
    summary: 'give the commits of the branch that is looked at to the remote',
    needs: 'write',
    status: 200,
    answer: json(object({ commits: number().integer().required() })),
  }),
  history: route({
    method: 'GET',
    path: '/projects/{project}/history',
    summary: 'commits of a file, with the runs at each',
    needs: 'read',
    query: object(ofFile),
    status: 200,
    answer: json(object({ commits: array().of(COMMIT).required() })),
  }),
  version: route({
    method: 'GET',
    path: '/projects/{project}/version',
    summary: 'a file as it was at a commit',
    needs: 'read',
    query: object({
      ...ofFile,
      commit: string()
        .required('commit is needed')
        .matches(/^[0-9a-f]{7,64}$/, 'commit must be a commit id'),
    }),
    status: 200,
    answer: json(object({ text: string().defined() })),
  }),
}
