// Calls of the server's API, typed by its contract; what it refuses becomes an error in the person's words.
import {
  ACTIVE_HEADER,
  API_PROBLEM,
  BRANCH_HEADER,
  ROUTES,
  type AnswerOf,
  type ApiProblem,
  type BodyOf,
  type Budget,
  type ParamsOf,
  type QueryOf,
  type RehearsalAsked,
  type RehearsalEvent,
  type ProjectRole,
  type Role,
  type Route,
  type RunFilter,
  type Scope,
} from '@jolt-gate/core/api'

export class ApiError extends Error {
  constructor(readonly problem: ApiProblem) {
    super(problem.detail)
  }
}

/** When a person was last seen at this page: what it asks by itself keeps no session alive. */
let lastSeenMs = 0
const ACTIVE_MS = 30_000
for (const sign of ['pointerdown', 'keydown'])
  window.addEventListener(sign, () => (lastSeenMs = Date.now()), { capture: true, passive: true })

/** The token of this session against forged requests, which every change carries. */
let csrf = ''
export function useCsrf(token: string): void {
  csrf = token
}

export interface TextChange {
  text: string
  message: string
  base: string | null
}

export const api = {
  session: () => call(ROUTES.session, {}),
  signIn: (email: string, password: string) => call(ROUTES.signIn, {}, { body: { email, password } }),
  signInToDemo: () => call(ROUTES.signInToDemo, {}, { body: {} }),
  signUpFirst: (body: { name: string; email: string; password: string; code: string }) =>
    call(ROUTES.addFirst, {}, { body }),
  signOut: () => call(ROUTES.signOut, {}),
  people: () => call(ROUTES.people, {}),
  addPerson: (body: { name: string; email: string; password: string; role: Role }) =>
    call(ROUTES.addPerson, {}, { body }),
  changeRole: (person: number, role: Role) => call(ROUTES.changeRole, { person }, { body: { role } }),
  setProjectRole: (person: number, project: number, role: ProjectRole | null) =>
    call(ROUTES.setProjectRole, { person, id: project }, { body: { role } }),
  changePassword: (body: { current: string; password: string; endsTokens: boolean }) =>
    call(ROUTES.changePassword, {}, { body }),
  resetPassword: (person: number, password: string) => call(ROUTES.resetPassword, { person }, { body: { password } }),
  removePerson: (person: number) => call(ROUTES.removePerson, { person }),
  tokens: () => call(ROUTES.tokens, {}),
  createToken: (body: { label: string; scopes: Scope[]; until: string; project: number | null }) =>
    call(ROUTES.createToken, {}, { body }),
  revokeToken: (token: number) => call(ROUTES.revokeToken, { token }),
  checkAuditLog: () => call(ROUTES.checkAuditLog, {}),
  signingKeys: () => call(ROUTES.signingKeys, {}),
  addSigningKey: (body: BodyOf<typeof ROUTES.addSigningKey>) => call(ROUTES.addSigningKey, {}, { body }),
  removeSigningKey: (key: number) => call(ROUTES.removeSigningKey, { key }),
  access: () => call(ROUTES.access, {}),
  endToken: (token: number) => call(ROUTES.endToken, { token }),
  endShare: (share: number) => call(ROUTES.endShare, { share }),
  auditLog: (query: QueryOf<typeof ROUTES.auditLog> = {}) => call(ROUTES.auditLog, {}, { query }),

  projects: () => call(ROUTES.projects, {}),
  addProject: (body: { path: string } | { clone: string } | { name: string }) => call(ROUTES.addProject, {}, { body }),
  addFiles: (project: number, files: { path: string; text: string }[], message: string) =>
    call(ROUTES.addFiles, { project }, { body: { files, message } }),
  plans: (project: number) => call(ROUTES.plans, { project }),
  plan: (project: number, file: string) => call(ROUTES.plan, { project }, { query: { file } }),
  savePlan: (project: number, file: string, body: TextChange) =>
    call(ROUTES.savePlan, { project }, { query: { file }, body }),

  data: (project: number, file: string) => call(ROUTES.data, { project }, { query: { file } }),
  saveData: (project: number, file: string, body: TextChange) =>
    call(ROUTES.saveData, { project }, { query: { file }, body }),

  pipelines: (project: number) => call(ROUTES.pipelines, { project }),
  pipeline: (project: number, file: string, branch: string) =>
    call(ROUTES.pipeline, { project }, { query: branch === '' ? { file } : { file, branch } }),
  pipelineText: (project: number, file: string) => call(ROUTES.pipelineText, { project }, { query: { file } }),
  savePipeline: (project: number, file: string, body: TextChange) =>
    call(ROUTES.savePipeline, { project }, { query: { file }, body }),
  stageHistory: (project: number, pipeline: string, stage: string) =>
    call(ROUTES.stageHistory, { project }, { query: { pipeline, stage } }),
  runStage: (project: number, pipeline: string, stage: string) =>
    call(ROUTES.runStage, { project }, { body: { pipeline, stage } }),
  pauseSchedule: (project: number, body: { pipeline: string; stage: string; isPaused: boolean }) =>
    call(ROUTES.pauseSchedule, { project }, { body }),
  approveStage: (project: number, body: { pipeline: string; stage: string; commit: string; reason: string }) =>
    call(ROUTES.approveStage, { project }, { body }),

  webhooks: (project: number) => call(ROUTES.webhooks, { project }),
  addWebhook: (project: number, body: BodyOf<typeof ROUTES.addWebhook>) =>
    call(ROUTES.addWebhook, { project }, { body }),
  pauseWebhook: (project: number, webhook: number, isPaused: boolean) =>
    call(ROUTES.pauseWebhook, { project, webhook }, { body: { isPaused } }),
  removeWebhook: (project: number, webhook: number) => call(ROUTES.removeWebhook, { project, webhook }),
  testWebhook: (project: number, webhook: number) => call(ROUTES.testWebhook, { project, webhook }),
  deliveries: (project: number) => call(ROUTES.deliveries, { project }),
  delivery: (project: number, delivery: number) => call(ROUTES.delivery, { project, delivery }),
  sendAgain: (project: number, delivery: number) => call(ROUTES.sendAgain, { project, delivery }),
  addPushSource: (project: number, repository: string) =>
    call(ROUTES.addPushSource, { project }, { body: { repository } }),
  runnerKeys: (project: number) => call(ROUTES.runnerKeys, { project }),
  addRunnerKey: (project: number, body: BodyOf<typeof ROUTES.addRunnerKey>) =>
    call(ROUTES.addRunnerKey, { project }, { body }),
  removeRunnerKey: (project: number, key: number) => call(ROUTES.removeRunnerKey, { project, key }),
  removePushSource: (project: number, source: number) => call(ROUTES.removePushSource, { project, source }),
  badges: (project: number) => call(ROUTES.badges, { project }),
  publishBadges: (project: number, isPublic: boolean) =>
    call(ROUTES.publishBadges, { project }, { body: { isPublic } }),
  budget: (project: number) => call(ROUTES.budget, { project }),
  setBudget: (project: number, body: Budget) => call(ROUTES.setBudget, { project }, { body }),

  removeFile: (project: number, file: string) => call(ROUTES.removeFile, { project }, { query: { file } }),
  renameFile: (project: number, file: string, to: string) =>
    call(ROUTES.renameFile, { project }, { query: { file }, body: { to } }),

  branches: (project: number) => call(ROUTES.branches, { project }),
  newBranch: (project: number, name: string) => call(ROUTES.newBranch, { project }, { body: { name } }),
  history: (project: number, file: string) => call(ROUTES.history, { project }, { query: { file } }),
  version: (project: number, file: string, commit: string) =>
    call(ROUTES.version, { project }, { query: { file, commit } }),

  merges: (project: number) => call(ROUTES.merges, { project }),
  mergeChanges: (project: number, branch: string) => call(ROUTES.mergeChanges, { project }, { query: { branch } }),
  approveMerge: (project: number, body: BodyOf<typeof ROUTES.approveMerge>) =>
    call(ROUTES.approveMerge, { project }, { body }),
  merge: (project: number, body: BodyOf<typeof ROUTES.merge>) => call(ROUTES.merge, { project }, { body }),
  protect: (project: number, isProtected: boolean) => call(ROUTES.protect, { project }, { body: { isProtected } }),

  remote: (project: number) => call(ROUTES.remote, { project }),
  setRemote: (project: number, url: string) => call(ROUTES.setRemote, { project }, { body: { url } }),
  pull: (project: number) => call(ROUTES.pull, { project }),
  push: (project: number) => call(ROUTES.push, { project }),

  targets: (project: number) => call(ROUTES.targets, { project }),
  saveTarget: (project: number, target: string, body: TextChange) =>
    call(ROUTES.saveTarget, { project, target }, { body }),
  renameTarget: (project: number, target: string, to: string) =>
    call(ROUTES.renameTarget, { project, target }, { body: { to } }),
  storeSecret: (project: number, target: string, secret: string, value: string) =>
    call(ROUTES.storeSecret, { project, target, secret }, { body: { value } }),
  confirmSecrets: (project: number, target: string) => call(ROUTES.confirmSecrets, { project, target }),
  deleteSecret: (project: number, target: string, secret: string) =>
    call(ROUTES.deleteSecret, { project, target, secret }),
  metric: (project: number, target: string, url: string) => call(ROUTES.metric, { project, target }, { body: { url } }),
  control: (project: number, target: string) => call(ROUTES.control, { project, target }),
  approve: (project: number, target: string, words: string) =>
    call(ROUTES.approve, { project, target }, { body: { words } }),

  rehearsals: (project: number, plan: string) => call(ROUTES.rehearsals, { project }, { query: { plan } }),
  rehearse,
  startRun: (project: number, plan: string) => call(ROUTES.startRun, { project }, { body: { plan } }),
  runs: (project: number, filter: RunFilter = {}) => call(ROUTES.runs, { project }, { query: filter }),
  runChoices: (project: number) => call(ROUTES.runChoices, { project }),
  deleteRuns: (project: number, runs: string[]) => call(ROUTES.deleteRuns, { project }, { body: { runs } }),
  run: (run: string) => call(ROUTES.run, { run }),
  describeRun: (run: string, note: string | null, labels: string[]) =>
    call(ROUTES.describeRun, { run }, { body: { note, labels } }),
  stopRun: (run: string) => call(ROUTES.stopRun, { run }),
  runResult: (run: string) => call(ROUTES.runResult, { run }),
  queue: () => call(ROUTES.queue, {}),
  generators: () => call(ROUTES.generators, {}),
  findCapacity: (project: number, body: BodyOf<typeof ROUTES.findCapacity>) =>
    call(ROUTES.findCapacity, { project }, { body }),
  capacitySearches: (project: number) => call(ROUTES.capacitySearches, { project }),
  capacitySearch: (project: number, search: string) => call(ROUTES.capacitySearch, { project, search }),
  stopCapacity: (project: number, search: string) => call(ROUTES.stopCapacity, { project, search }),

  trend: (project: number, query: QueryOf<typeof ROUTES.trend>) => call(ROUTES.trend, { project }, { query }),
  addTrendNote: (run: string, series: string, words: string) =>
    call(ROUTES.addTrendNote, { run }, { body: { series, words } }),
  removeTrendNote: (run: string, note: number) => call(ROUTES.removeTrendNote, { run, note }),
  addMark: (run: string, text: string, atMs: number) => call(ROUTES.addMark, { run }, { body: { text, atMs } }),
  removeMark: (run: string, mark: number) => call(ROUTES.removeMark, { run, mark }),
  shares: (run: string) => call(ROUTES.shares, { run }),
  share: (run: string, days: number) => call(ROUTES.share, { run }, { body: { days } }),
  revokeShare: (run: string, share: number) => call(ROUTES.revokeShare, { run, share }),
  sharedRun: (token: string) => call(ROUTES.sharedRun, { token }),
  views: (project: number) => call(ROUTES.views, { project }),
  saveView: (project: number, body: BodyOf<typeof ROUTES.saveView>) => call(ROUTES.saveView, { project }, { body }),
  removeView: (project: number, view: number) => call(ROUTES.removeView, { project, view }),
  retention: (project: number, rule?: string) =>
    call(ROUTES.retention, { project }, { query: rule === undefined ? {} : { rule } }),
  setRetention: (project: number, rule: string, deletesDue: boolean) =>
    call(ROUTES.setRetention, { project }, { body: { rule, deletesDue } }),
  keepBaseline: (run: string) => call(ROUTES.keepBaseline, { run }),
  removeBaseline: (run: string) => call(ROUTES.removeBaseline, { run }),
}

/** Rehearses, and tells each event as it comes. */
async function rehearse(
  project: number,
  body: RehearsalAsked,
  onEvent: (event: RehearsalEvent) => void,
  signal: AbortSignal,
): Promise<void> {
  const response = await send(ROUTES.rehearse, { project }, { body, signal })
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

type Values<T> = { [name in keyof T]: string | number }

interface Asking<R extends Route> {
  query?: QueryOf<R>
  /** As a person enters it: the server checks it by the contract. */
  body?: unknown
  signal?: AbortSignal
}

async function call<R extends Route>(
  route: R,
  params: Values<ParamsOf<R>>,
  asking: Asking<R> = {},
): Promise<AnswerOf<R>> {
  const response = await send(route, params, asking)
  if (!response.ok) {
    const error = await errorOf(response)
    const { project }: Readonly<Record<string, string | number>> = params
    if (error.problem.code === 'NO_BRANCH') branches.forget(Number(project))
    throw error
  }
  return (response.status === 204 ? undefined : await response.json()) as AnswerOf<R>
}

async function send<R extends Route>(
  { method, path }: R,
  params: Values<ParamsOf<R>>,
  { query, body, signal }: Asking<R>,
): Promise<Response> {
  const place = placeOf(path, params)
  const asked = searchOf(query)
  const headers = {
    ...(body === undefined ? {} : { 'content-type': 'application/json' }),
    ...(method === 'GET' ? {} : { 'x-jolt-gate-csrf': csrf }),
    ...(Date.now() - lastSeenMs < ACTIVE_MS ? { [ACTIVE_HEADER]: 'yes' } : {}),
    ...branchHeader(params),
  }
  const init: RequestInit = {
    method,
    headers,
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    ...(signal === undefined ? {} : { signal }),
  }
  try {
    return await fetch(`/api${place}${asked === '' ? '' : `?${asked}`}`, init)
  } catch (error) {
    if (signal?.aborted === true) throw error
    throw new ApiError({
      type: 'about:blank',
      title: 'No answer',
      detail: 'The server does not answer. Is it running?',
      code: 'NO_ANSWER',
      status: 0,
    })
  }
}

interface BranchChoices {
  /** Which branch of a project the person looks at. */
  of: (project: number) => string | undefined
  /** It does not exist any more. */
  forget: (project: number) => void
}
let branches: BranchChoices = { of: () => undefined, forget: () => undefined }
export function useBranches(choices: BranchChoices): void {
  branches = choices
}

function branchHeader({ project }: Readonly<Record<string, string | number>>): Record<string, string> {
  const branch = project === undefined ? undefined : branches.of(Number(project))
  return branch === undefined ? {} : { [BRANCH_HEADER]: encodeURIComponent(branch) }
}

/** A path with its names filled in; none of them can lead elsewhere. */
function placeOf(path: string, values: Readonly<Record<string, string | number>>): string {
  return path.replaceAll(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(values[name] ?? ''))
}

/** What is asked by query; parameters that are not given are left out. */
function searchOf(query: unknown): string {
  const pairs = typeof query === 'object' && query !== null ? Object.entries(query) : []
  const given = pairs.flatMap(([name, value]: [string, unknown]) =>
    typeof value === 'string' || typeof value === 'number' ? [[name, String(value)]] : [],
  )
  return new URLSearchParams(given).toString()
}

async function errorOf(response: Response): Promise<ApiError> {
  const answer: unknown = await response.json().catch(() => undefined)
  const fallback: ApiProblem = {
    type: 'about:blank',
    title: 'Error',
    detail: `the server answered ${String(response.status)}`,
    code: 'ERROR',
    status: response.status,
  }
  const problem = API_PROBLEM.isValidSync(answer) ? answer : fallback
  if (problem.code === 'NOT_SIGNED_IN') onSignedOut()
  return new ApiError(problem)
}

let onSignedOut: () => void = () => undefined
/** What to do when a session has ended. */
export function whenNobody(act: () => void): void {
  onSignedOut = act
}

/** The words to show for anything that went wrong. */
export function wordsOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
