// What the API answers when it refuses: problem details (RFC 9457), with the fields that some of them add.
import { array, number, object, string, type InferType } from 'yup'
import type { Problem } from '../plan/model.js'
import { ownType } from './route.js'

export const API_PROBLEM = object({
  type: string().required(),
  title: string().required(),
  status: number().integer().required(),
  /** Stable, for programs. */
  code: string().required(),
  detail: string().defined(),
  /** The field of the request that is wrong. */
  field: string().optional(),
  /** Of a plan or target: each error with its place. */
  problems: array().of(ownType<Problem>('problem').required()).optional(),
  /** Of a save that was refused: the text that is there now, and its fingerprint. */
  current: string().optional(),
  base: string().optional(),
})
export type ApiProblem = InferType<typeof API_PROBLEM>
