// A result.json that was written before: as much of it as comparing and baselines need.
import { array, boolean, number, object, string, ValidationError, type InferType } from 'yup'
import { parseJson } from '../language/json-path.js'

const figure = number().nullable().defined()
const gate = object({
  rule: string().required(),
  status: string().required(),
  unit: string().required(),
  observed: figure,
  limit: figure,
  samples: number().integer().min(0).required(),
  interval: array().of(figure).nullable().defined(),
})
const times = object({
  count: number().required(),
  mean: number().required(),
  percentiles: object({ '50': number().required(), '95': number().required(), '99': number().required() }).required(),
})
const shape = object({
  jolt: number().oneOf([1], 'this is not a result of format 1').required('this is not a result of format 1'),
  id: string().required(),
  verdict: string().required(),
  plan: object({
    name: string().required(),
    file: string().required(),
    commit: string().nullable().defined(),
    scale: number().required(),
    load: string().required(),
  }).required(),
  target: object({ name: string().required(), origin: string().required() }).required(),
  startedAt: string().required(),
  measuredMs: number().required(),
  generator: object({ reasons: array().of(string().required()).required() }).required(),
  gates: array().of(gate).max(1000).required(),
  steps: array()
    .of(
      object({
        name: string().required(),
        requests: number().integer().min(0).required(),
        failed: number().integer().min(0).required(),
        throughput: number().required(),
        responseTime: times.nullable().defined(),
      }),
    )
    .max(5000)
    .required(),
  journeys: array()
    .of(object({ name: string().required(), time: times.nullable().defined() }))
    .required(),
  phases: array()
    .of(object({ name: string().required(), measured: boolean().required() }))
    .required(),
  histograms: array()
    .of(object({ step: string().required(), phase: string().required(), data: string().required() }))
    .max(20_000)
    .required(),
})

export type StoredResult = InferType<typeof shape>

/** Reads a result.json; a fault in words when it is none. */
export function readResult(text: string): { ok: true; result: StoredResult } | { ok: false; fault: string } {
  const json = parseJson(text)
  if (json === undefined) return { ok: false, fault: 'this is not JSON' }
  try {
    return { ok: true, result: shape.validateSync(json, { strict: true }) }
  } catch (error) {
    if (error instanceof ValidationError) return { ok: false, fault: error.message }
    throw error
  }
}
