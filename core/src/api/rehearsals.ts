// Rehearsals: each step told as it ends, kept for comparing, and begun again from a step.
import { array, boolean, object, string, type InferType } from 'yup'
import { REHEARSAL, REHEARSED_STEP } from '../measure/rehearsed.js'
import { FILE_KB } from './projects.js'
import { json, lines, route } from './route.js'

const BEGIN = object({ kind: string().oneOf(['begin']).required(), id: string().required() })
const STEP = object({ kind: string().oneOf(['step']).required(), step: REHEARSED_STEP.required() })
const END = object({
  kind: string().oneOf(['end']).required(),
  id: string().required(),
  passed: boolean().required(),
  journeys: REHEARSAL.fields.journeys,
})
const FAULT = object({ kind: string().oneOf(['fault']).required(), detail: string().defined() })
export type RehearsalEvent =
  InferType<typeof BEGIN> | InferType<typeof STEP> | InferType<typeof END> | InferType<typeof FAULT>

const STORED = object({
  id: string().required(),
  at: string().required(),
  passed: boolean().required(),
  canResume: boolean().required(),
  rehearsal: REHEARSAL.required(),
})
export type StoredRehearsal = InferType<typeof STORED>

const ASKED = object({
  plan: string().required('plan is needed: the path of a plan').max(500),
  /** The text as it is in the editor; without it the file on disk is rehearsed. */
  text: string().max(1_000_000).optional(),
  target: string().max(200).optional(),
  journey: string().max(300).optional(),
  /** An earlier rehearsal and the number of the step to begin with. */
  again: object({
    rehearsal: string().required(),
    step: string().required(),
    /** That step alone. */
    only: boolean().optional(),
  })
    .optional()
    .default(undefined),
})
export type RehearsalAsked = InferType<typeof ASKED>

export const REHEARSAL_ROUTES = {
  rehearsals: route({
    method: 'GET',
    path: '/projects/{project}/rehearsals',
    summary: 'latest rehearsals of a plan',
    needs: 'read',
    query: object({ plan: string().required('plan is needed: the path of a plan').max(500) }),
    status: 200,
    answer: json(object({ rehearsals: array().of(STORED).required() })),
  }),
  rehearse: route({
    method: 'POST',
    path: '/projects/{project}/rehearsals',
    summary: 'rehearse a plan; each step is a line of JSON',
    needs: 'run',
    mostKb: FILE_KB,
    body: ASKED,
    status: 200,
    answer: lines(BEGIN, STEP, END, FAULT),
  }),
}
