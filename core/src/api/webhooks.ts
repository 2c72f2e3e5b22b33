// What goes out to others, and what others tell us: webhooks with their deliveries, and pushes elsewhere.
import { array, boolean, number, object, string, type InferType } from 'yup'
import { json, nothing, route } from './route.js'

/** What others may hear of, as the types of CloudEvents. */
export const EVENT_TYPES = [
  'run.started',
  'run.verdict',
  'stage.opened',
  'stage.shut',
  'trend.shift',
  'webhook.test',
] as const
export type EventType = (typeof EVENT_TYPES)[number]
/** Those that happen; a test is asked for. */
export const HEARD_TYPES = EVENT_TYPES.filter((type) => type !== 'webhook.test')
export const DELIVERY_STATES = ['waiting', 'delivered', 'failed'] as const

const moment = () => string().required()
const URL_OF_WEBHOOK = string()
  .trim()
  .required('url is needed: where events are sent')
  .max(700)
  .matches(/^https?:\/\/[^\s]+$/, 'url must begin with https:// (http:// on this machine alone)')
const REPOSITORY = string()
  .trim()
  .required('repository is needed, as the sender names it')
  .max(500)
  .matches(/^\S+$/, 'a repository has no blanks')

const WEBHOOK = object({
  id: number().integer().required(),
  url: string().required(),
  events: array().of(string().oneOf(EVENT_TYPES).required()).required(),
  isPaused: boolean().required(),
  madeBy: string().required(),
  madeAt: moment(),
})
export type WebhookLine = InferType<typeof WEBHOOK>

const DELIVERY = object({
  id: number().integer().required(),
  webhook: number().integer().required(),
  event: string().required(),
  type: string().oneOf(EVENT_TYPES).required(),
  /** What it is about, in words. */
  subject: string().required(),
  state: string().oneOf(DELIVERY_STATES).required(),
  attempts: number().integer().required(),
  /** What the address said last; empty before. */
  answer: string().defined(),
  madeAt: moment(),
  /** Of one that waits: when it is sent next. */
  nextAt: string().nullable().defined(),
  answeredAt: string().nullable().defined(),
})
export type DeliveryLine = InferType<typeof DELIVERY>

const PUSH_SOURCE = object({
  id: number().integer().required(),
  repository: string().required(),
  madeBy: string().required(),
  madeAt: moment(),
  last: object({ branch: string().required(), commit: string().required(), at: moment() }).nullable().defined(),
})
export type PushSourceLine = InferType<typeof PUSH_SOURCE>

/** Shown once: `whsec_` and base64, as Standard Webhooks writes it. */
const SECRET = string().required()

/** A push, as another Git server or a pipeline tells of it. */
const PUSH = object({
  repository: REPOSITORY,
  ref: string()
    .required('ref is needed, such as refs/heads/main')
    .max(250)
    .matches(/^(refs\/(heads|tags)\/)?[^\s~^:?*[\\]+$/, 'ref must be a branch or a tag, such as refs/heads/main'),
  commit: string()
    .required('commit is needed: where the branch stands now')
    .matches(/^([0-9a-f]{40}|[0-9a-f]{64})$/, 'commit must be a whole commit id in hexadecimal digits'),
  message: string().max(10_000).optional(),
  author: string().max(200).optional(),
})

export const NEW_WEBHOOK = object({
  url: URL_OF_WEBHOOK,
  events: array()
    .of(string().oneOf(HEARD_TYPES).required())
    .min(1, 'choose at least one event')
    .max(HEARD_TYPES.length)
    .required(),
})
export const NEW_PUSH_SOURCE = object({ repository: REPOSITORY })

export const WEBHOOK_ROUTES = {
  webhooks: route({
    method: 'GET',
    path: '/projects/{project}/webhooks',
    summary: 'the addresses that hear of events of a project, and the repositories whose pushes begin stages',
    needs: 'admin',
    status: 200,
    answer: json(
      object({
        webhooks: array().of(WEBHOOK).required(),
        sources: array().of(PUSH_SOURCE).required(),
      }),
    ),
  }),
  addWebhook: route({
    method: 'POST',
    path: '/projects/{project}/webhooks',
    summary: 'send events of a project to an address; the secret that signs them is shown once',
    needs: 'admin',
    body: NEW_WEBHOOK,
    status: 201,
    answer: json(object({ webhook: WEBHOOK.required(), secret: SECRET })),
  }),
  pauseWebhook: route({
    method: 'PUT',
    path: '/projects/{project}/webhooks/{webhook}',
    summary: 'pause a webhook, or let it continue: what happens until then is kept, and sent then',
    needs: 'admin',
    body: object({ isPaused: boolean().required() }),
    status: 200,
    answer: json(WEBHOOK),
  }),
  removeWebhook: route({
    method: 'DELETE',
    path: '/projects/{project}/webhooks/{webhook}',
    summary: 'remove a webhook with its deliveries',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
  testWebhook: route({
    method: 'POST',
    path: '/projects/{project}/webhooks/{webhook}/test',
    summary: 'send an event that says nothing else than that the address is reached',
    needs: 'admin',
    status: 201,
    answer: json(DELIVERY),
  }),
  deliveries: route({
    method: 'GET',
    path: '/projects/{project}/deliveries',
    summary: 'the last deliveries with what was answered, the newest first',
    needs: 'admin',
    query: object({ state: string().oneOf(DELIVERY_STATES).optional() }),
    status: 200,
    answer: json(object({ deliveries: array().of(DELIVERY).required() })),
  }),
  delivery: route({
    method: 'GET',
    path: '/projects/{project}/deliveries/{delivery}',
    summary: 'a delivery with what is sent',
    needs: 'admin',
    status: 200,
    answer: json(DELIVERY.shape({ body: string().required() })),
  }),
  sendAgain: route({
    method: 'POST',
    path: '/projects/{project}/deliveries/{delivery}/send',
    summary: 'send a delivery again, at once',
    needs: 'admin',
    status: 202,
    answer: json(DELIVERY),
  }),
  addPushSource: route({
    method: 'POST',
    path: '/projects/{project}/push-sources',
    summary: 'let pushes to a repository elsewhere begin stages; the secret that signs them is shown once',
    needs: 'admin',
    body: NEW_PUSH_SOURCE,
    status: 201,
    answer: json(object({ source: PUSH_SOURCE.required(), secret: SECRET })),
  }),
  removePushSource: route({
    method: 'DELETE',
    path: '/projects/{project}/push-sources/{source}',
    summary: 'take no pushes of a repository any more',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
  pushed: route({
    method: 'POST',
    path: '/projects/{project}/pushes',
    summary:
      'tell of a push to a repository elsewhere, signed as Standard Webhooks says; the same again changes nothing',
    needs: 'nothing',
    body: PUSH,
    status: 202,
    answer: json(object({ branch: string().nullable().defined(), commit: string().required() })),
  }),
}
