// What a walk of setup or teardown came to, on its way from the generator that made it.
import { array, boolean, mixed, number, object, string } from 'yup'
import { parseJson, type Frame, type Json } from '@jolt-gate/core'
import type { OnceOutcome } from '../walk/once.js'

const schema = object({
  results: array()
    .of(
      object({
        name: string().required().max(1000),
        passed: boolean().required(),
        reason: string().nullable().defined().max(100_000),
        responseTimeMs: number().nullable().defined(),
      }),
    )
    .max(10_000)
    .required(),
  values: array()
    .of(object({ slot: number().integer().min(0).required(), value: mixed<NonNullable<Json>>().nullable().defined() }))
    .max(100_000)
    .required(),
  secrets: array().of(string().defined()).max(10_000).required(),
  failure: string().nullable().defined().max(100_000),
  isTargets: boolean().required(),
})

/** What a walk came to, as text: its generator is not believed to write it well. */
export function outcomeText({ results, frame, secrets, failure, isTargets }: OnceOutcome): string {
  const values = frame.flatMap((value, slot) => (value === undefined ? [] : [{ slot, value }]))
  return JSON.stringify({ results, values, secrets, failure, isTargets })
}

/** @throws Error where it is none */
export function readOutcome(bytes: Uint8Array, slots: number): OnceOutcome {
  const read = schema.validateSync(parseJson(Buffer.from(bytes).toString()), { strict: true })
  const frame: Frame = new Array<undefined>(slots).fill(undefined)
  for (const { slot, value } of read.values) if (slot < slots) frame[slot] = value
  const { results, secrets, failure, isTargets } = read
  return { results, frame, secrets, failure, isTargets }
}
