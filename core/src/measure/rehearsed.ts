// A request and its answer in full, as a rehearsal tells them and as a run keeps some that failed: the engine makes it,
// the server sends it, pages show it.
import { array, boolean, mixed, number, object, string, type InferType } from 'yup'
import { parseJson } from '../language/json-path.js'

const text = () => string().defined()
const part = () => number().nullable().defined()
const headers = () =>
  array()
    .of(mixed({ type: 'header', check: isHeader }).required())
    .required()

function isHeader(value: unknown): value is [name: string, value: string] {
  return Array.isArray(value) && value.length === 2 && value.every((one) => typeof one === 'string')
}

export const REHEARSED_STEP = object({
  /** setup, the journey, or teardown. */
  stage: text(),
  step: text(),
  request: object({ method: text(), url: text(), headers: headers(), body: string().nullable().defined() })
    .nullable()
    .default(null)
    .defined(),
  /** Requests before it that were answered by a redirect, in order. */
  hops: array()
    .of(object({ method: text(), url: text(), status: number().defined() }))
    .default([]),
  response: object({ status: number().defined(), headers: headers(), body: text(), size: number().defined() })
    .nullable()
    .default(null)
    .defined(),
  checks: array()
    .of(object({ name: text(), held: boolean().required(), found: array().of(text()).required() }))
    .required(),
  kept: array()
    .of(object({ name: text(), value: text() }))
    .required(),
  failure: object({ kind: text(), detail: text() }).nullable().default(null).defined(),
  /** The id of its trace (W3C Trace Context), where it carried one. */
  trace: string().nullable().default(null).defined(),
  /** Parts of the time of a request, in ms; null where a part did not happen, such as connecting again. */
  timing: object({
    dns: part(),
    connect: part(),
    tls: part(),
    firstByte: part(),
    receive: part(),
    total: number().defined(),
  }).required(),
})

export const REHEARSAL = object({
  plan: text(),
  target: text(),
  passed: boolean().required(),
  steps: array().of(REHEARSED_STEP).required(),
  /** Time of each journey that was walked to its end. */
  journeys: array()
    .of(object({ name: text(), passed: boolean().required(), timeMs: number().defined() }))
    .required(),
})

/** One that failed while the load ran. */
export const KEPT_REQUEST = REHEARSED_STEP.concat(
  object({
    /** When it was due, from the start of the load. */
    dueMs: number().defined(),
  }),
)
export type KeptRequest = InferType<typeof KEPT_REQUEST>

/** A kept request from its text, as buckets hold it; null where none was kept. */
export function keptFrom(text: string): KeptRequest | null {
  const value = text === '' ? undefined : parseJson(text)
  return value !== undefined && KEPT_REQUEST.isValidSync(value, { strict: true }) ? value : null
}

export type RehearsedStep = InferType<typeof REHEARSED_STEP>
export type RehearsedRequest = NonNullable<RehearsedStep['request']>
export type TimingParts = RehearsedStep['timing']
export type Rehearsal = InferType<typeof REHEARSAL>
