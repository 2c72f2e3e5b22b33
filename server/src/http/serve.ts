// A route of the contract, served: who may ask, what is asked, and the answer, all as core/api declares them.
import {
  BRANCH_HEADER,
  BRANCH_NAME,
  type AnswerOf,
  type BodyOf,
  type Need,
  type ParamsOf,
  type QueryOf,
  type Route,
} from '@jolt-gate/core/api'
import { json, raw, type Application, type Request, type RequestHandler, type Response, type Router } from 'express'
import type { PersonRow } from '../database/models.js'
import { projectAsked } from './project-asked.js'
import { refuseTraps, valid } from './read-json.js'

/** What a handler is given: all of it checked. */
export interface Asked<R extends Route, Body = BodyOf<R>> {
  params: ParamsOf<R>
  query: QueryOf<R>
  body: Body
  /** Who asks; undefined where the route needs no sign-in. */
  person: R['needs'] extends 'nothing' ? undefined : PersonRow
  /** The branch that is looked at; undefined for that of the project's own files. */
  branch: string | undefined
  request: Request
  response: Response
}

const USUAL_KB = 100

/** What else has to agree before the body is read, and after; and who reads it, where that is not done here. */
interface More<Body> {
  before?: RequestHandler[]
  after?: RequestHandler[]
  /** Holds it to the contract itself. */
  read?: (bytes: Uint8Array) => Promise<Body>
}

/** Decides who may ask, about which project; refuses with a problem. */
export type Access = (
  request: Request,
  need: Exclude<Need, 'nothing'>,
  project: number | undefined,
) => Promise<PersonRow>

const ACCESS = new WeakMap<Application, Access>()
/** Gives the routes of an application what decides who may ask: serving itself knows nothing of people. */
export function useAccess(app: Application, access: Access): void {
  ACCESS.set(app, access)
}
function accessOf({ app }: Request): Access {
  const access = ACCESS.get(app)
  if (access === undefined) throw new Error('the application was given no access')
  return access
}

/**
 * Serves a route. Who may not ask hears so before anything is read; fields that the contract does not name are dropped.
 *
 * @param handle - gives the answer; of text `undefined` where it was written to the response already
 */
export function serve<const R extends Route, Body = BodyOf<R>>(
  routes: Router,
  route: R,
  handle: (asked: Asked<R, Body>) => Promise<AnswerOf<R>> | AnswerOf<R>,
  { before = [], after = [], read }: More<Body> = {},
): void {
  const path = route.path.replaceAll(/\{(\w+)\}/g, ':$1')
  const people = new WeakMap<Request, PersonRow>()
  const refuse: RequestHandler = async (request, _response, next) => {
    if (route.needs !== 'nothing')
      people.set(request, await accessOf(request)(request, route.needs, await projectAsked(request)))
    next()
  }
  const limit = `${String(route.mostKb ?? USUAL_KB)}kb`
  const taking = read === undefined ? [json({ limit }), noTraps] : [raw({ type: 'application/json', limit })]
  const body = route.body === undefined ? [] : taking
  routes[verbOf(route)](path, ...before, refuse, ...body, ...after, async (request: Request, response: Response) => {
    const asked = {
      params: request.params,
      query: route.query === undefined ? undefined : await valid(route.query, request.query),
      body: await bodyOf(route, request, read),
      person: people.get(request),
      branch: await BRANCH_NAME.validate(request.get(BRANCH_HEADER)),
      request,
      response,
    }
    send(response, route, await handle(asked as unknown as Asked<R, Body>))
  })
}

const noTraps: RequestHandler = (request, _response, next) => {
  refuseTraps(request.body)
  next()
}

function bodyOf({ body }: Route, request: Request, read?: (bytes: Uint8Array) => Promise<unknown>): unknown {
  const given: unknown = request.body
  if (read !== undefined) return read(given instanceof Uint8Array ? given : new Uint8Array())
  return body === undefined ? undefined : valid(body, given)
}

function send(response: Response, { status, answer }: Route, value: unknown): void {
  if (response.headersSent) return
  response.status(status)
  if (answer.kind === 'nothing') response.end()
  else if (answer.kind === 'json') response.json(value)
  else response.type(answer.type).send(value)
}

type Verb = 'get' | 'post' | 'put' | 'patch' | 'delete'
const VERBS = {
  GET: 'get',
  POST: 'post',
  PUT: 'put',
  PATCH: 'patch',
  DELETE: 'delete',
} satisfies Record<Route['method'], Verb>
const verbOf = ({ method }: Route): Verb => VERBS[method]
