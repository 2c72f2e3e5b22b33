// Calls of the server's API; what it refuses becomes an error in the person's words.
import type {
  ApiProblem,
  CommitLine,
  ControlLine,
  AuditEvent,
  Head,
  MetricFamily,
  Person,
  PlanSummary,
  PlanText,
  Project,
  RehearsalEvent,
  Role,
  RunDetail,
  RunSummary,
  Saved,
  Session,
  StoredRehearsal,
  TargetLine,
  TokenLine,
} from './types.js'

export class ApiError extends Error {
  constructor(readonly problem: ApiProblem) {
    super(problem.detail)
  }
}

/** The token of this session against forged requests, which every change carries. */
let csrf = ''
export function useCsrf(token: string): void {
  csrf = token
}

const of = (project: number) => `/projects/${String(project)}`
const fileQuery = (file: string) => `file=${encodeURIComponent(file)}`
const targetOf = (project: number, target: string) => `${of(project)}/targets/${encodeURIComponent(target)}`

export interface TextChange {
  text: string
  message: string
  base: string | null
}

export const api = {
  session: () => call<Session>('GET', '/session'),
  signIn: (email: string, password: string) => call<Session>('POST', '/session', { email, password }),
  signInToDemo: () => call<Session>('POST', '/session/demo', {}),
  signUpFirst: (first: { name: string; email: string; password: string }) =>
    call<Session>('POST', '/people/first', first),
  signOut: () => call<{ kind: 'nobody' }>('DELETE', '/session'),
  people: () => call<{ people: Person[] }>('GET', '/people'),
  addPerson: (person: { name: string; email: string; password: string; role: Role }) =>
    call<Person>('POST', '/people', person),
  changeRole: (id: number, role: Role) => call<Person>('PATCH', `/people/${String(id)}`, { role }),
  removePerson: (id: number) => call<undefined>('DELETE', `/people/${String(id)}`),
  tokens: () => call<{ tokens: TokenLine[] }>('GET', '/tokens'),
  makeToken: (token: { label: string; scopes: string[]; until: string }) =>
    call<{ id: number; token: string }>('POST', '/tokens', token),
  removeToken: (id: number) => call<undefined>('DELETE', `/tokens/${String(id)}`),
  auditLog: () => call<{ events: AuditEvent[] }>('GET', '/audit-log'),

  projects: () => call<{ projects: Project[] }>('GET', '/projects'),
  addProject: (from: { path: string } | { clone: string } | { name: string }) =>
    call<Project>('POST', '/projects', from),
  addFiles: (project: number, files: { path: string; text: string }[], message: string) =>
    call<Head>('POST', `${of(project)}/files`, { files, message }),
  plans: (project: number) => call<{ plans: PlanSummary[] } & Head>('GET', `${of(project)}/plans`),
  plan: (project: number, file: string) => call<PlanText>('GET', `${of(project)}/plan?${fileQuery(file)}`),
  savePlan: (project: number, file: string, change: TextChange) =>
    call<Saved>('PUT', `${of(project)}/plan?${fileQuery(file)}`, change),

  branches: (project: number) => call<{ branches: string[] } & Head>('GET', `${of(project)}/branches`),
  newBranch: (project: number, name: string) => call<Head>('POST', `${of(project)}/branches`, { name }),
  switchBranch: (project: number, name: string) => call<Head>('PUT', `${of(project)}/branch`, { name }),
  history: (project: number, file: string) =>
    call<{ commits: CommitLine[] }>('GET', `${of(project)}/history?${fileQuery(file)}`),
  version: (project: number, file: string, commit: string) =>
    call<{ text: string }>('GET', `${of(project)}/version?${fileQuery(file)}&commit=${commit}`),

  targets: (project: number) => call<{ targets: TargetLine[] } & Head>('GET', `${of(project)}/targets`),
  saveTarget: (project: number, target: string, change: TextChange) =>
    call<Saved>('PUT', targetOf(project, target), change),
  writeSecret: (project: number, target: string, name: string, value: string) =>
    call<unknown>('PUT', `${targetOf(project, target)}/secrets/${name}`, { value }),
  forgetSecret: (project: number, target: string, name: string) =>
    call<undefined>('DELETE', `${targetOf(project, target)}/secrets/${name}`),
  metric: (project: number, target: string, url: string) =>
    call<{ families: MetricFamily[] }>('POST', `${targetOf(project, target)}/metric`, { url }),
  control: (project: number, target: string) =>
    call<{ control: ControlLine[] }>('GET', `${targetOf(project, target)}/control`),
  approve: (project: number, target: string, words: string) =>
    call<{ control: ControlLine[] }>('POST', `${targetOf(project, target)}/approve`, { words }),

  rehearsals: (project: number, plan: string) =>
    call<{ rehearsals: StoredRehearsal[] }>('GET', `${of(project)}/rehearsals?plan=${encodeURIComponent(plan)}`),
  rehearse,
  startRun: (project: number, plan: string) => call<RunSummary>('POST', `${of(project)}/runs`, { plan }),
  runs: (project: number, plan?: string) =>
    call<{ runs: RunSummary[] }>(
      'GET',
      `${of(project)}/runs${plan === undefined ? '' : `?plan=${encodeURIComponent(plan)}`}`,
    ),
  run: (id: string) => call<RunDetail>('GET', `/runs/${id}`),
  stopRun: (id: string) => call<{ stopping: boolean }>('POST', `/runs/${id}/stop`),
  queue: () => call<{ runs: RunSummary[] }>('GET', '/queue'),
}

export interface RehearsalAsked {
  plan: string
  text?: string
  target?: string
  journey?: string
  again?: { rehearsal: string; step: string }
}

/** Rehearses, and tells each event as it comes. */
async function rehearse(
  project: number,
  asked: RehearsalAsked,
  onEvent: (event: RehearsalEvent) => void,
  signal: AbortSignal,
): Promise<void> {
  const response = await send('POST', `${of(project)}/rehearsals`, asked, signal)
  if (!response.ok || response.body === null) throw await errorOf(response)
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader()
  let rest = ''
  for (;;) {
    const { done, value } = await reader.read()
    if (done) return
    rest += value
    const lines = rest.split('\n')
    rest = lines.pop() ?? ''
    for (const line of lines) onEvent(JSON.parse(line) as RehearsalEvent)
  }
}

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await send(method, path, body)
  if (!response.ok) throw await errorOf(response)
  return (response.status === 204 ? undefined : await response.json()) as T
}

async function send(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<Response> {
  const headers = {
    ...(body === undefined ? {} : { 'content-type': 'application/json' }),
    ...(method === 'GET' ? {} : { 'x-jolt-gate-csrf': csrf }),
  }
  const init: RequestInit = {
    method,
    headers,
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    ...(signal === undefined ? {} : { signal }),
  }
  try {
    return await fetch(`/api${path}`, init)
  } catch (error) {
    if (signal?.aborted === true) throw error
    throw new ApiError({
      title: 'No answer',
      detail: 'The server does not answer. Is it running?',
      code: 'NO_ANSWER',
      status: 0,
    })
  }
}

async function errorOf(response: Response): Promise<ApiError> {
  const answer: unknown = await response.json().catch(() => undefined)
  const fallback = {
    title: 'Error',
    detail: `the server answered ${String(response.status)}`,
    code: 'ERROR',
    status: response.status,
  }
  const problem = isProblem(answer) ? answer : fallback
  if (problem.code === 'NOBODY') onNobody()
  return new ApiError(problem)
}

let onNobody: () => void = () => undefined
/** What to do when a session has ended. */
export function whenNobody(act: () => void): void {
  onNobody = act
}

function isProblem(value: unknown): value is ApiProblem {
  return typeof value === 'object' && value !== null && 'detail' in value && typeof value.detail === 'string'
}

/** The words to show for anything that went wrong. */
export function wordsOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
