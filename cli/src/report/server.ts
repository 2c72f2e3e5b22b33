// A Jolt Gate server as the command talks to it: whom it asks, as whom, and what becomes of an answer.
import { createPrivateKey, sign, type KeyObject } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { API_PROBLEM, ROUTES, SIGNATURE_HEADER, type AnswerOf, type Route } from '@jolt-gate/core/api'
import { UsageError } from '../errors.js'

const ANSWER_WITHIN_MS = 15_000
/** Of these answers the same request gets the same again. */
const FINAL = new Set([400, 401, 403, 404, 409, 413, 415, 422])

/** The server has said no, and would say so again. */
export class Refused extends Error {
  constructor(
    message: string,
    readonly code: string,
  ) {
    super(message)
  }
}

export class Server {
  private project: number | undefined

  private constructor(
    readonly origin: string,
    private readonly token: string,
    private readonly key: KeyObject | undefined,
    named: number | undefined,
  ) {
    this.project = named
  }

  /** @param to - its address, with `/p/NUMBER` where somebody may see more than one project */
  static at(to: string, token: string | undefined): Server {
    const fault = `--to ${to}: expected the address of a server, such as https://gate.example/p/1`
    if (!URL.canParse(to)) throw new UsageError(fault)
    const { protocol, origin, pathname, username, password } = new URL(to)
    const [, , number] = /^(\/p\/(\d{1,9}))?\/?(?:plans|runs)?$/.exec(pathname) ?? []
    if (!/^https?:$/.test(protocol) || username + password !== '' || (number === undefined && pathname !== '/'))
      throw new UsageError(fault)
    if (token === undefined || token === '')
      throw new UsageError('--to needs a token with the scope "report" in JOLT_TOKEN')
    return new Server(origin, token, runnerKey(), number === undefined ? undefined : Number(number))
  }

  /** The project that runs are reported to: the one of the address, or the only one. */
  async projectId(): Promise<number> {
    if (this.project !== undefined) return this.project
    const { projects } = await this.ask(ROUTES.projects, {}).catch((error: unknown) => {
      if (!(error instanceof Refused) || error.code !== 'SCOPE') throw error
      throw new Refused('this token may not list projects: add /p/NUMBER to the address', 'SCOPE')
    })
    const [only, ...others] = projects
    if (only === undefined) throw new Refused('this token sees no project of the server', 'NO_PROJECT')
    if (others.length > 0) {
      const some = projects.map(({ id, name }) => `/p/${String(id)} for ${name}`).join(', ')
      throw new Refused(`this token sees several projects: add ${some} to the address`, 'SEVERAL')
    }
    this.project = only.id
    return only.id
  }

  /**
   * Asks a route.
   *
   * @param signed - what the body is signed with before it, where this runner has a key
   * @throws Refused where the same request would get the same answer again
   * @throws Error in words where it may be tried again
   */
  async ask<R extends Route>(
    route: R,
    params: Record<string, string | number>,
    { query = {}, body, signed }: { query?: Record<string, string>; body?: unknown; signed?: string } = {},
  ): Promise<AnswerOf<R>> {
    const path = route.path.replaceAll(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(String(params[name])))
    const search = new URLSearchParams(query).toString()
    const text = JSON.stringify(body)
    const signature = signed === undefined ? undefined : this.signatureOf(signed, text)
    const response = await fetch(`${this.origin}/api${path}${search === '' ? '' : `?${search}`}`, {
      method: route.method,
      headers: {
        authorization: `Bearer ${this.token}`,
        'content-type': 'application/json',
        ...(signature === undefined ? {} : { [SIGNATURE_HEADER]: signature }),
      },
      ...(body === undefined ? {} : { body: text }),
      redirect: 'error',
      signal: AbortSignal.timeout(ANSWER_WITHIN_MS),
    }).catch((error: unknown) => {
      throw new Error(`${this.origin} does not answer (${causeOf(error)})`)
    })
    const answer: unknown = await response.json().catch(() => undefined)
    if (response.ok) return readAnswer(route, answer, this.origin)
    const problem = API_PROBLEM.isValidSync(answer) ? answer : undefined
    const words =
      response.status === 401
        ? 'JOLT_TOKEN was refused: it is wrong, revoked or over; make a new one under "Me" on the server'
        : (problem?.detail ?? `status ${String(response.status)}`)
    if (FINAL.has(response.status)) throw new Refused(`${this.origin}: ${words}`, problem?.code ?? '')
    throw new Error(`${this.origin}: ${words}`)
  }

  private signatureOf(before: string, text: string): string | undefined {
    return this.key === undefined ? undefined : sign(null, Buffer.from(before + text), this.key).toString('base64')
  }
}

/** The key that this runner signs with, where the environment names one. */
function runnerKey(): KeyObject | undefined {
  const file = process.env['JOLT_RUNNER_KEY'] ?? ''
  if (file === '') return undefined
  let key: KeyObject
  try {
    key = createPrivateKey(readFileSync(file))
  } catch (error) {
    throw new UsageError(`JOLT_RUNNER_KEY: ${file} cannot be read as a private key: ${wordsOf(error)}`)
  }
  if (key.asymmetricKeyType !== 'ed25519')
    throw new UsageError(`JOLT_RUNNER_KEY: ${file} is a key of ${String(key.asymmetricKeyType)}: make one of Ed25519`)
  return key
}
const wordsOf = (error: unknown): string => (error instanceof Error ? error.message : String(error))

function readAnswer<R extends Route>({ answer }: R, value: unknown, origin: string): AnswerOf<R> {
  const [schema] = answer.kind === 'json' ? answer.oneOf : []
  if (schema?.isValidSync(value) !== true)
    throw new Refused(`${origin} answers in words that this version does not know: is it a Jolt Gate server?`, 'ANSWER')
  return value as AnswerOf<R>
}

function causeOf(error: unknown): string {
  if (!(error instanceof Error)) return String(error)
  if (error.name === 'TimeoutError') return `nothing for ${String(ANSWER_WITHIN_MS / 1000)} s`
  return error.cause instanceof Error ? error.cause.message : error.message
}
