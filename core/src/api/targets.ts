// Targets: their files, secrets, metrics, permission, and the proof of control.
import { array, boolean, number, object, string, type InferType } from 'yup'
import type { Problem } from '../plan/model.js'
import type { Target } from '../plan/target-model.js'
import { FILE_KB, HEAD, SAVE, SAVED } from './projects.js'
import { json, nothing, ownType, route } from './route.js'

const TARGET = object({
  name: string().required(),
  file: string().required(),
  text: string().defined(),
  base: string().required(),
  /** As it was read, without its key and certificates; null where it has errors. */
  target: ownType<Omit<Target, 'tls'>>('target').nullable().defined(),
  problems: array().of(ownType<Problem>('problem').required()).required(),
  secrets: array()
    .of(
      object({
        name: string().required(),
        /** Blocked: it was stored for other addresses than the target has now. */
        from: string().oneOf(['store', 'blocked', 'environment', 'nowhere']).required(),
      }),
    )
    .required(),
  isLoopback: boolean().required(),
  /** Why it may not be loaded just now. */
  fault: string().nullable().defined(),
})
export type TargetLine = InferType<typeof TARGET>

const CONTROL = object({
  origin: string().required(),
  url: string().required(),
  token: string().required(),
  isProven: boolean().required(),
  why: string().optional(),
  approvedBy: string().optional(),
})
export type ControlLine = InferType<typeof CONTROL>
const CONTROLS = object({ control: array().of(CONTROL).required() })

const FAMILY = object({
  name: string().required(),
  type: string().required(),
  samples: array()
    .of(
      object({
        name: string().required(),
        labels: ownType<Record<string, string>>('labels').required(),
        value: number().defined(),
      }),
    )
    .required(),
})
export type MetricFamily = InferType<typeof FAMILY>

const SECRET = object({
  value: string().required('the value is needed').min(4, 'a secret needs at least four characters').max(10_000),
})
export const APPROVAL = object({
  words: string()
    .trim()
    .required('enter why this target may be loaded')
    .min(20, 'enter at least 20 characters')
    .max(2000),
})

export const TARGET_ROUTES = {
  targets: route({
    method: 'GET',
    path: '/projects/{project}/targets',
    summary: 'list targets',
    needs: 'read',
    status: 200,
    answer: json(HEAD.shape({ targets: array().of(TARGET).required() })),
  }),
  saveTarget: route({
    method: 'PUT',
    path: '/projects/{project}/targets/{target}',
    summary: 'save a target: a commit',
    needs: 'write',
    mostKb: FILE_KB,
    body: SAVE,
    status: 200,
    answer: json(SAVED),
  }),
  renameTarget: route({
    method: 'POST',
    path: '/projects/{project}/targets/{target}/name',
    summary: 'give a target another name, in a commit with the plans that name it; its secrets and runs go along',
    needs: 'admin',
    body: object({ to: string().trim().required('a name is needed').max(100) }),
    status: 200,
    answer: json(HEAD),
  }),
  storeSecret: route({
    method: 'PUT',
    path: '/projects/{project}/targets/{target}/secrets/{secret}',
    summary: 'store a secret; it cannot be read back',
    needs: 'admin',
    body: SECRET,
    status: 204,
    answer: nothing,
  }),
  confirmSecrets: route({
    method: 'POST',
    path: '/projects/{project}/targets/{target}/secrets',
    summary: 'let the stored secrets go to the addresses that the target has now',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
  deleteSecret: route({
    method: 'DELETE',
    path: '/projects/{project}/targets/{target}/secrets/{secret}',
    summary: 'delete a secret',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
  metric: route({
    method: 'POST',
    path: '/projects/{project}/targets/{target}/metric',
    summary: 'metric families at a URL of the target',
    needs: 'run',
    body: object({ url: string().required('the page of metrics is needed').max(500) }),
    status: 200,
    answer: json(object({ families: array().of(FAMILY).required() })),
  }),
  control: route({
    method: 'GET',
    path: '/projects/{project}/targets/{target}/control',
    summary: 'whether control of the target is proven (RFC 8615)',
    needs: 'run',
    status: 200,
    answer: json(CONTROLS),
  }),
  approve: route({
    method: 'POST',
    path: '/projects/{project}/targets/{target}/approve',
    summary: 'approve a target in place of a proof',
    needs: 'admin',
    body: APPROVAL,
    status: 201,
    answer: json(CONTROLS),
  }),
}
