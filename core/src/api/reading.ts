// Reading together: marks on the time axis, links that share a run, sets of lanes, and how long runs are kept.
import { array, boolean, number, object, string, type InferType } from 'yup'
import { json, nothing, route, textOf } from './route.js'
import { MARK, RUN_DETAIL } from './runs.js'

const DAY_LIMIT = 366

const SHARE = object({
  id: number().integer().required(),
  by: string().required(),
  at: string().required(),
  until: string().required(),
})
export type Share = InferType<typeof SHARE>

const VIEW = object({
  id: number().integer().required(),
  name: string().required(),
  /** Its lanes, as the address of a run's page has them. */
  lanes: string().defined(),
  /** The plan whose runs open with it. */
  planFile: string().nullable().defined(),
  by: string().required(),
})
export type LaneView = InferType<typeof VIEW>

const RETENTION = object({
  rule: string().defined(),
  /** So many runs the rule keeps no longer. */
  due: number().integer().required(),
  /** So many of them go today by themselves. */
  today: number().integer().required(),
})

export const READING_ROUTES = {
  addMark: route({
    method: 'POST',
    path: '/runs/{run}/marks',
    summary: 'put a mark on the time axis of a run, at a moment or, while it is live, now',
    needs: 'run',
    body: object({
      text: string().trim().required('text is needed: what happened').max(200),
      atMs: number().min(0).max(86_400_000).optional(),
    }),
    status: 201,
    answer: json(MARK),
  }),
  removeMark: route({
    method: 'DELETE',
    path: '/runs/{run}/marks/{mark}',
    summary: 'remove a mark',
    needs: 'run',
    status: 204,
    answer: nothing,
  }),
  shares: route({
    method: 'GET',
    path: '/runs/{run}/shares',
    summary: 'the links by which a run is shared',
    needs: 'write',
    status: 200,
    answer: json(object({ shares: array().of(SHARE).required() })),
  }),
  share: route({
    method: 'POST',
    path: '/runs/{run}/shares',
    summary: 'make a link by which anyone who has it reads a run until a day; its token is told once',
    needs: 'write',
    body: object({
      days: number()
        .integer()
        .min(1)
        .max(DAY_LIMIT, `a link lasts at most ${String(DAY_LIMIT)} days`)
        .required('days is needed: how long the link lasts'),
    }),
    status: 201,
    answer: json(SHARE.shape({ token: string().required() })),
  }),
  revokeShare: route({
    method: 'DELETE',
    path: '/runs/{run}/shares/{share}',
    summary: 'end a link at once',
    needs: 'write',
    status: 204,
    answer: nothing,
  }),
  sharedRun: route({
    method: 'GET',
    path: '/shared/{token}',
    summary: 'a run, by a link that shares it',
    needs: 'nothing',
    status: 200,
    answer: json(RUN_DETAIL),
  }),
  sharedStream: route({
    method: 'GET',
    path: '/shared/{token}/stream',
    summary: 'the seconds of a shared run as server-sent events',
    needs: 'nothing',
    status: 200,
    answer: textOf('text/event-stream'),
  }),
  views: route({
    method: 'GET',
    path: '/projects/{project}/views',
    summary: 'named sets of lanes',
    needs: 'read',
    status: 200,
    answer: json(object({ views: array().of(VIEW).required() })),
  }),
  saveView: route({
    method: 'PUT',
    path: '/projects/{project}/views',
    summary: 'keep a set of lanes under a name, in place of what the name had',
    needs: 'write',
    body: object({
      name: string().trim().required('name is needed').max(100),
      lanes: string().max(2000).defined(),
      planFile: string().max(500).nullable().defined(),
    }),
    status: 200,
    answer: json(VIEW),
  }),
  removeView: route({
    method: 'DELETE',
    path: '/projects/{project}/views/{view}',
    summary: 'delete a set of lanes',
    needs: 'write',
    status: 204,
    answer: nothing,
  }),
  retention: route({
    method: 'GET',
    path: '/projects/{project}/retention',
    summary: 'how long the runs of a project are kept, and how many the rule would delete now',
    needs: 'read',
    query: object({ rule: string().max(500).optional() }),
    status: 200,
    answer: json(RETENTION),
  }),
  setRetention: route({
    method: 'PUT',
    path: '/projects/{project}/retention',
    summary:
      'say how long runs are kept: "keep 90 days, open runs of main for ever"; empty keeps all; delete what is due at once',
    needs: 'admin',
    body: object({ rule: string().max(500).defined(), deletesDue: boolean().default(false) }),
    status: 200,
    answer: json(RETENTION),
  }),
}
