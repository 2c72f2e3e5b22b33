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
import { json, type Application, type Request, type RequestHandler, type Response, type Router } from 'express'
import type { PersonRow } from '../database/models.js'
import { Problem } from './problems.js'
import { projectAsked } from './project-asked.js'

/** What a handler is given: all of it checked. */
export interface Asked<R extends Route> {
  params: ParamsOf<R>
  query: QueryOf<R>
  body: BodyOf<R>
  /** Who asks; undefined where the route needs no sign-in. */
  person: R['needs'] extends 'nothing' ? undefined : PersonRow
  /** The branch that is looked at; undefined for that of the project's own files. */
  branch: string | undefined
  request: Request
  response: Response
}

const USUAL_KB = 100

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
 * @param first - what else has to agree: before the body is read, and after
 */
export function serve<const R extends Route>(
  routes: Router,
  route: R,
  handle: (asked: Asked<R>) => Promise<AnswerOf<R>> | AnswerOf<R>,
  first: { before?: RequestHandler[]; after?: RequestHandler[] } = {},
): void {
  const path = route.path.replaceAll(/\{(\w+)\}/g, ':$1')
  const people = new WeakMap<Request, PersonRow>()
  const refuse: RequestHandler = async (request, _response, next) => {
    if (route.needs !== 'nothing')
      people.set(request, await accessOf(request)(request, route.needs, await projectAsked(request)))
    next()
  }
  const read = route.body === undefined ? [] : [json({ limit: `${String(route.mostKb ?? USUAL_KB)}kb` }), refuseTraps]
  const { before = [], after = [] } = first
  routes[verbOf(route)](path, ...before, refuse, ...read, ...after, async (request: Request, response: Response) => {
    const asked = {
      params: request.params,
      query: await valid(route.query, request.query),
      body: await valid(route.body, request.body),
      person: people.get(request),
      branch: await BRANCH_NAME.validate(request.get(BRANCH_HEADER)),
      request,
      response,
    }
    send(response, route, await handle(asked as unknown as Asked<R>))
  })
}

/** Names that every object has: what is given under them is taken for what an object can do. */
const TRAPS = ['__proto__', 'constructor', 'prototype']
const refuseTraps: RequestHandler = (request, _response, next) => {
  const left: unknown[] = [request.body]
  while (left.length > 0) {
    const value = left.pop()
    if (typeof value !== 'object' || value === null) continue
    const trap = TRAPS.find((name) => Object.hasOwn(value, name))
    if (trap !== undefined) throw new Problem(400, 'BAD_FIELD', `no field may be called ${trap}`)
    for (const inner of Object.values(value)) if (typeof inner === 'object') left.push(inner)
  }
  next()
}

/** What was given, as the contract has it. Where that cannot even be asked, a list in place of a text, it is wrong. */
async function valid(schema: Route['body'], given: unknown): Promise<unknown> {
  try {
    return await schema?.validate(given, { stripUnknown: true })
  } catch (error) {
    if (error instanceof TypeError) throw new Problem(400, 'BAD_FIELD', 'a field is of another kind than it must be')
    throw error
  }
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
