// What a route of the API is: how it is asked, who may, and what it answers. All routes stand in the files beside this.
import { mixed, type SchemaDescription } from 'yup'

export const SCOPES = ['read', 'write', 'run', 'report', 'git', 'admin'] as const
export type Scope = (typeof SCOPES)[number]

/**
 * What a request wants to do; `nothing` may be asked before signing in, `account` is a person's own, which no token
 * reaches.
 */
export type Need = 'nothing' | 'account' | 'read' | 'write' | 'run' | 'report' | 'admin'

/** Types of answers that are no JSON. */
export type TextType =
  | 'application/xml'
  | 'text/markdown'
  | 'text/html'
  | 'text/csv'
  | 'text/event-stream'
  | 'application/x-ndjson'
  | 'image/svg+xml'

/**
 * Of a Yup schema, what the contract asks of it. Holding each schema to the whole of Yup's own type, with its hundred
 * methods, was most of what the compiler did.
 */
export interface Schema {
  readonly __outputType: unknown
  describe: () => SchemaDescription
  isValidSync: (value: unknown) => boolean
  validate: (value: unknown, options: { stripUnknown: boolean }) => Promise<unknown>
}

export interface Route {
  method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE'
  /** A template: `/projects/{project}/plan`. */
  path: string
  /** What it does, as the API's description says it. */
  summary: string
  needs: Need
  query?: Schema
  body?: Schema
  /** The most that a body may have, in kB; 100 where nothing is said. */
  mostKb?: number
  status: 200 | 201 | 202 | 204
  answer: Answer
}

/** JSON of one of these schemas, or text; each line of `application/x-ndjson` is one of `events`. Nothing for 204. */
export type Answer =
  | { kind: 'json'; oneOf: readonly Schema[] }
  | { kind: 'text'; type: TextType; events?: readonly Schema[] }
  | { kind: 'nothing' }

export const json = <const S extends readonly Schema[]>(...oneOf: S) => ({ kind: 'json', oneOf }) as const
export const textOf = (type: TextType) => ({ kind: 'text', type }) as const
export const lines = <const S extends readonly Schema[]>(...events: S) =>
  ({ kind: 'text', type: 'application/x-ndjson', events }) as const
export const nothing = { kind: 'nothing' } as const

/** Keeps the very type of a route, which requests and answers follow from. */
export const route = <const R extends Route>(one: R): R => one

/** Names in the braces of a path. */
type NamesIn<Path extends string> = Path extends `${string}{${infer Name}}${infer Rest}` ? Name | NamesIn<Rest> : never
type TypeOf<S> = S extends { __outputType: infer T } ? T : undefined

export type ParamsOf<R extends Route> = Record<NamesIn<R['path']>, string>
export type QueryOf<R extends Route> = R extends { query: infer S } ? TypeOf<S> : undefined
export type BodyOf<R extends Route> = R extends { body: infer S } ? TypeOf<S> : undefined
export type AnswerOf<R extends Route> = R['answer'] extends { kind: 'json'; oneOf: infer S extends readonly Schema[] }
  ? TypeOf<S[number]>
  : R['answer'] extends { kind: 'text' }
    ? string | undefined
    : undefined

/** Something of core's own that has its type there, such as a plan as it was read. */
export function ownType<T extends object>(what: string) {
  return mixed({ type: 'own', check: (value): value is T => typeof value === 'object' && value !== null }).label(what)
}
