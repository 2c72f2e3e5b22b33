// Runs that the command makes elsewhere and reports: begun, second by second, ended. Each part may come again.
import { array, boolean, mixed, number, object, string, type InferType } from 'yup'
import { MOST_LABELS, readLabel } from '../language/labels.js'
import { RESULT } from '../judge/result-schema.js'
import { turnOf, type RunTurn } from '../view/turns.js'
import type { Baseline } from '../judge/baseline.js'
import { json, nothing, ownType, route } from './route.js'
import { RUN_PARTS, RUN_SUMMARY } from './runs.js'

const MOST_FILES = 200
const MOST_SECONDS_AT_ONCE = 600
const MOST_EVENTS = 3000

const textOrNone = (most: number) => string().max(most).nullable().defined()

/** Its beginning alone may be that of another. */
const FULL_COMMIT = string()
  .matches(/^(?:[0-9a-f]{40}|[0-9a-f]{64})$/, '${path} is a commit in full: 40 or 64 hexadecimal digits')
  .nullable()
  .defined()

/** Texts by path. */
const FILES = mixed({
  type: 'files',
  check: (value: unknown): value is Record<string, string> =>
    typeof value === 'object' &&
    value !== null &&
    Object.keys(value).length <= MOST_FILES &&
    Object.entries(value).every(([path, text]) => path.length <= 500 && typeof text === 'string'),
})
const LABELS = mixed({
  type: 'labels',
  check: (value: unknown): value is Record<string, string> =>
    typeof value === 'object' &&
    value !== null &&
    Object.keys(value).length <= MOST_LABELS &&
    Object.entries(value).every(([name, text]) => readLabel(`${name}=${String(text)}`) !== undefined),
})

/** What is reported of a run as it begins: the server reads the plan itself. */
export const REPORTED_RUN = object({
  id: string()
    .matches(/^[a-z0-9]{6,20}$/, 'the id of a run has six to twenty letters and digits')
    .required(),
  tool: string().max(50).required(),
  plan: object({
    file: string().max(500).required(),
    text: string().max(1_000_000).required(),
    /** What else it is read with: shared steps, data, its target. */
    files: FILES.required(),
    set: FILES.required(),
    commit: FULL_COMMIT,
    branch: textOrNone(200),
    dirty: boolean().required(),
    seed: number().integer().min(0).required(),
    scale: number().positive().max(1000).required(),
  }).required(),
  target: textOrNone(300),
  /** The change under test. */
  change: object({ commit: FULL_COMMIT, branch: textOrNone(200) }).required(),
  labels: LABELS.required(),
  /** Of the shape that its seconds are numbered by: another version may number them otherwise. */
  shape: string().max(100).required(),
  startedAt: string().max(40).required(),
})
export type ReportedRun = InferType<typeof REPORTED_RUN>

const isTurn = (value: unknown): value is RunTurn => turnOf(value) !== undefined
const EVENTS = () =>
  array()
    .of(mixed({ type: 'event', check: isTurn }).required())
    .max(MOST_EVENTS)

export const REPORTED_SECONDS = object({
  part: string().oneOf(RUN_PARTS).required(),
  seconds: array()
    .of(
      object({
        second: number().integer().min(0).max(1_000_000).required(),
        /** Its bytes as base64. */
        data: string().max(8_000_000).required(),
      }),
    )
    .max(MOST_SECONDS_AT_ONCE)
    .required(),
  /** All of them so far. */
  events: EVENTS().required(),
})
export type ReportedSeconds = InferType<typeof REPORTED_SECONDS>

/** A key that signs results of runs: whose, and its public half as PEM (RFC 8410). */
const RUNNER_KEY = object({
  id: number().integer().required(),
  name: string().required(),
  publicKey: string().required(),
  madeBy: string().required(),
  madeAt: string().required(),
})
export type RunnerKeyLine = InferType<typeof RUNNER_KEY>
export const NEW_RUNNER_KEY = object({
  name: string().trim().required('enter which runner it is').max(100),
  publicKey: string()
    .trim()
    .required('paste the public key')
    .max(1000)
    .matches(
      /^-----BEGIN PUBLIC KEY-----\s[\w+/=\s]+-----END PUBLIC KEY-----$/,
      'a public key begins with -----BEGIN PUBLIC KEY-----',
    ),
})
/** Says that a result is signed: the signature as base64, of `signedWords` and the body as it is sent. */
export const SIGNATURE_HEADER = 'jolt-gate-signature'
/** What is signed begins with it, so that no other document of the same key passes for a result. */
export const signedWords = (run: string): string => `Jolt Gate result of run ${run}\n`

export const REPORTED_ROUTES = {
  runnerKeys: route({
    method: 'GET',
    path: '/projects/{project}/runner-keys',
    summary: 'the keys by which runners sign the results that they report',
    needs: 'read',
    status: 200,
    answer: json(object({ keys: array().of(RUNNER_KEY).required() })),
  }),
  addRunnerKey: route({
    method: 'POST',
    path: '/projects/{project}/runner-keys',
    summary: 'register the public key of a runner (Ed25519)',
    needs: 'admin',
    body: NEW_RUNNER_KEY,
    status: 201,
    answer: json(RUNNER_KEY),
  }),
  removeRunnerKey: route({
    method: 'DELETE',
    path: '/projects/{project}/runner-keys/{key}',
    summary: 'take signatures of a key no more; runs keep the name of who signed them',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
  reportRun: route({
    method: 'POST',
    path: '/projects/{project}/reported-runs',
    summary: 'say that a run begins elsewhere; the same again changes nothing',
    needs: 'report',
    body: REPORTED_RUN,
    mostKb: 20_000,
    status: 201,
    answer: json(RUN_SUMMARY),
  }),
  reportSeconds: route({
    method: 'POST',
    path: '/runs/{run}/reported-seconds',
    summary: 'report what happened in a run since; what is known already changes nothing',
    needs: 'report',
    body: REPORTED_SECONDS,
    mostKb: 20_000,
    status: 200,
    answer: json(object({ seconds: number().integer().required() })),
  }),
  reportResult: route({
    method: 'PUT',
    path: '/runs/{run}/reported-result',
    summary: 'upload the result of a reported run; it is judged again by its seconds',
    needs: 'report',
    body: object({
      result: RESULT.clone().required(),
      /** How many seconds were reported; where the server has fewer, it asks for all of them. */
      seconds: number().integer().min(0).required(),
      events: EVENTS().required(),
    }),
    mostKb: 60_000,
    status: 200,
    answer: json(RUN_SUMMARY),
  }),
  fittingBaseline: route({
    method: 'GET',
    path: '/projects/{project}/fitting-baseline',
    summary: 'the baseline that fits a run: same plan, target, scale and load',
    needs: 'report',
    query: object({
      plan: string().required().max(500),
      target: string().required().max(300),
      branch: string().max(200).optional(),
      scale: number().positive().required(),
      load: string().required().max(200),
    }),
    status: 200,
    answer: json(object({ baseline: ownType<Baseline>('baseline').nullable().default(null).defined() })),
  }),
}
