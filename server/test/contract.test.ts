// Every route of the contract is asked for real, and what it answers is held against the contract: an answer that lacks
// a field, or has one more, fails.
import { createHash, generateKeyPairSync, randomUUID } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { Validator } from '@seriousme/openapi-schema-validator'
import { previewOf, readPlan, shapeOf } from '@jolt-gate/core'
import { API_PROBLEM, ROUTES, type Route, type Schema } from '@jolt-gate/core/api'
import { Schema as YupSchema, ValidationError } from 'yup'
import { bareRemote, callerOf, git, PIPELINE, PLAN, signedIn, startPlace, type Place } from './place.js'

type Name = keyof typeof ROUTES
interface Example {
  params?: Record<string, string>
  query?: Record<string, string>
  body?: unknown
}

const person = { name: 'Tove Berth', email: 'tove@larkholm.example', password: 'ten letters and more' }
const RUNNER_KEY = generateKeyPairSync('ed25519').publicKey.export({ type: 'spki', format: 'pem' })
/** Of OpenSSH: the kind, and 32 bytes. */
const SIGNING_KEY = `ssh-ed25519 ${Buffer.concat([Buffer.from('\0\0\0\x0bssh-ed25519\0\0\0\x20'), Buffer.alloc(32, 9)]).toString('base64')}`
const target = (name: string) => ({ project: '1', target: name })
let place: Place
/** Answers by route; what one makes, a later one needs. */
const seen = new Map<Name, unknown>()

beforeAll(async () => {
  place = await startPlace(true)
})
afterAll(() => place.stop())

describe('the contract', () => {
  it('is kept by every route that it names', async () => {
    const faults: string[] = []

    // The first account exists once the demo is entered: its refusal is held against the contract of problems.
    for (const [name, example] of examples()) faults.push(...(await faultsOf(name, example())))

    expect(faults).toEqual([])
    expect([...seen.keys()].sort()).toEqual(Object.keys(ROUTES).sort())
  })

  it('is told by the server as OpenAPI 3.1 that a validator of that format accepts', async () => {
    const { body } = await callerOf(place.server.origin)('GET', '/openapi.json')

    const outcome = await new Validator().validate({ ...(body as object) })

    expect(outcome).toEqual({ valid: true })
    expect(JSON.stringify(body)).toContain('"failedRequests":{"type":"integer"')
  })

  it('refuses by its own words what it does not know, and drops fields that it does not name', async () => {
    const call = callerOf(place.server.origin, await signedIn(place.server.origin))

    const wrong = await call('PATCH', '/people/1', { role: 'captain' })
    const more = await call('POST', '/people', { ...person, email: 'x@larkholm.example', role: 'reader', id: 77 })

    expect(wrong).toMatchObject({ status: 400, body: { code: 'BAD_FIELD', field: 'role' } })
    expect(more.status).toBe(201)
    expect((more.body as { id: number }).id).not.toBe(77)
  })
})

/** One call of each route, in an order in which each finds what it needs. */
function examples(): [Name, () => Example][] {
  const project = { project: '1' }
  const run = () => ({ params: { run: idOf('startRun') } })
  const change = (text: string, base: string | null) => ({ text, base, message: 'a change' })
  return [
    ['signInToDemo', () => ({ body: {} })],
    ['session', () => ({})],
    ['description', () => ({})],
    ['addFirst', () => ({ body: { ...person, code: 'none' } })],
    ['addPerson', () => ({ body: { ...person, role: 'author' } })],
    ['people', () => ({})],
    ['changeRole', () => ({ params: { person: idOf('addPerson') }, body: { role: 'reader' } })],
    ['signIn', () => ({ body: { email: person.email, password: person.password } })],
    ['resetPassword', () => ({ params: { person: idOf('addPerson') }, body: { password: 'ten letters and more' } })],
    ['changePassword', () => ({ body: { current: 'x', password: 'ten letters and more' } })],
    ['setProjectRole', () => ({ params: { person: idOf('addPerson'), id: '1' }, body: { role: 'author' } })],
    ['removePerson', () => ({ params: { person: idOf('addPerson') } })],
    ['createToken', () => ({ body: { label: 'pipeline', scopes: ['read'], until: inDays(20) } })],
    ['tokens', () => ({})],
    ['addSigningKey', () => ({ body: { label: 'laptop', publicKey: SIGNING_KEY } })],
    ['signingKeys', () => ({})],
    ['removeSigningKey', () => ({ params: { key: idOf('addSigningKey') } })],
    ['revokeToken', () => ({ params: { token: idOf('createToken') } })],
    ['auditLog', () => ({})],
    ['checkAuditLog', () => ({})],
    ['access', () => ({})],
    ['endToken', () => ({ params: { token: '7' } })],
    ['endShare', () => ({ params: { share: '7' } })],
    ['projects', () => ({})],
    ['addProject', () => ({ body: { name: `New ${randomUUID().slice(0, 6)}` } })],
    ['addFiles', () => ({ params: project, body: { files: [{ path: TARGET, text: originOf() }], message: 'add' } })],
    ['plans', () => ({ params: project })],
    ['plan', () => ({ params: project, query: { file: PLAN } })],
    ['saveData', () => ({ params: project, query: { file: 'data/b.csv' }, body: change('name\nTove\n', null) })],
    ['data', () => ({ params: project, query: { file: 'data/b.csv' } })],
    ['removeFile', () => ({ params: project, query: { file: 'data/b.csv' } })],
    ['savePlan', () => ({ params: project, query: { file: 'plans/b.gate.yaml' }, body: change(textOf(), null) })],
    [
      'renameFile',
      () => ({ params: project, query: { file: 'plans/b.gate.yaml' }, body: { to: 'plans/c.gate.yaml' } }),
    ],
    ['branches', () => ({ params: project })],
    ['newBranch', () => ({ params: project, body: { name: 'trial' } })],
    ['setRemote', () => ({ params: project, body: { url: bareRemote(place) } })],
    ['remote', () => ({ params: project })],
    ['push', () => ({ params: project })],
    ['pull', () => ({ params: project })],
    ['history', () => ({ params: project, query: { file: PLAN } })],
    ['version', () => ({ params: project, query: { file: PLAN, commit: commitOf() } })],
    ['targets', () => ({ params: project })],
    ['saveTarget', () => ({ params: target('far'), body: change('origin: http://198.51.100.7\n', null) })],
    ['renameTarget', () => ({ params: target('far'), body: { to: 'farther' } })],
    ['storeSecret', () => ({ params: { ...target('other'), secret: 'user' }, body: { value: 'a secret' } })],
    ['confirmSecrets', () => ({ params: target('other') })],
    ['deleteSecret', () => ({ params: { ...target('other'), secret: 'user' } })],
    ['metric', () => ({ params: target('other'), body: { url: '/metrics' } })],
    ['control', () => ({ params: target('other') })],
    ['approve', () => ({ params: target('other'), body: { words: 'the owner of it has agreed in writing' } })],
    ['rehearse', () => ({ params: project, body: { plan: PLAN } })],
    ['rehearsals', () => ({ params: project, query: { plan: PLAN } })],
    ['startRun', () => ({ params: project, body: { plan: PLAN } })],
    // It waits behind the run, and is stopped before it begins.
    ['findCapacity', () => ({ params: project, body: { plan: PLAN, atLeast: '5/s', hold: '1s' } })],
    ['capacitySearches', () => ({ params: project })],
    ['capacitySearch', () => ({ params: { ...project, search: idOf('findCapacity') } })],
    ['stopCapacity', () => ({ params: { ...project, search: idOf('findCapacity') } })],
    ['deleteCapacity', () => ({ params: { ...project, search: idOf('findCapacity') } })],
    ['queue', () => ({})],
    ['generators', () => ({})],
    ['runChoices', () => ({ params: project })],
    ['changes', () => ({})],
    ['runStream', run],
    ['runs', () => ({ params: project })],
    ['run', run],
    ['runResult', run],
    ['runJunit', run],
    ['runMarkdown', run],
    ['runHtml', run],
    ['runCsv', run],
    ['stopRun', run],
    ['describeRun', () => ({ ...run(), body: { note: 'A *new* pool', labels: ['build=209'] } })],
    ['keepBaseline', run],
    ['baseline', () => ({ params: project, query: PLAN_AND_TARGET })],
    ['addTrendNote', () => ({ ...run(), body: { series: 'failed requests', words: 'a new pool' } })],
    ['trend', () => ({ params: project, query: PLAN_AND_TARGET })],
    ['removeTrendNote', () => ({ params: { ...run().params, note: idOf('addTrendNote') } })],
    ['removeBaseline', run],
    ['addMark', () => ({ ...run(), body: { text: 'deployed 1.4.2', atMs: 500 } })],
    ['removeMark', () => ({ params: { ...run().params, mark: idOf('addMark') } })],
    ['share', () => ({ ...run(), body: { days: 7 } })],
    ['shares', run],
    ['sharedRun', () => ({ params: { token: tokenOf('share') } })],
    ['sharedStream', () => ({ params: { token: tokenOf('share') } })],
    ['revokeShare', () => ({ params: { ...run().params, share: idOf('share') } })],
    ['reportRun', () => ({ params: project, body: reported() })],
    ['reportSeconds', () => ({ params: { run: REPORTED }, body: { part: 'load', seconds: [], events: [] } })],
    [
      'reportResult',
      () => ({
        params: { run: REPORTED },
        body: { result: { ...(seen.get('runResult') as object), id: REPORTED }, seconds: 0, events: [] },
      }),
    ],
    ['fittingBaseline', () => ({ params: project, query: { ...PLAN_AND_TARGET, scale: '1', load: 'x' } })],
    ['merges', () => ({ params: project })],
    ['mergeChanges', () => ({ params: project, query: { branch: aside().branch } })],
    ['approveMerge', () => ({ params: project, body: aside() })],
    ['merge', () => ({ params: project, body: aside() })],
    ['protect', () => ({ params: project, body: { isProtected: false } })],
    ['addRunnerKey', () => ({ params: project, body: { name: 'quay', publicKey: RUNNER_KEY } })],
    ['runnerKeys', () => ({ params: project })],
    ['removeRunnerKey', () => ({ params: { ...project, key: '1' } })],
    ['pipelines', () => ({ params: project })],
    ['pipeline', () => ({ params: project, query: { file: PIPELINE } })],
    ['pipelineText', () => ({ params: project, query: { file: PIPELINE } })],
    ['savePipeline', () => ({ params: project, query: { file: PIPELINE }, body: pipelineChange() })],
    ['runStage', () => ({ params: project, body: { stage: 'staging' } })],
    ['stageHistory', () => ({ params: project, query: { stage: 'staging' } })],
    ['pauseSchedule', () => ({ params: project, body: { stage: 'staging', isPaused: true } })],
    ['admission', () => ({ params: project, query: { stage: 'production', commit: 'abcdef0' } })],
    [
      'approveStage',
      () => ({ params: project, body: { stage: 'production', commit: 'abcdef0', reason: 'repeated by hand, held' } }),
    ],
    ['saveView', () => ({ params: project, body: { name: 'Pool', lanes: 'load,time', planFile: PLAN } })],
    ['views', () => ({ params: project })],
    ['removeView', () => ({ params: { ...project, view: idOf('saveView') } })],
    ['addWebhook', () => ({ params: project, body: { url: place.ferries.origin, events: ['run.verdict'] } })],
    ['webhooks', () => ({ params: project })],
    ['testWebhook', () => ({ params: { ...project, webhook: webhookId() } })],
    ['deliveries', () => ({ params: project })],
    ['delivery', () => ({ params: { ...project, delivery: idOf('testWebhook') } })],
    ['sendAgain', () => ({ params: { ...project, delivery: idOf('testWebhook') } })],
    ['pauseWebhook', () => ({ params: { ...project, webhook: webhookId() }, body: { isPaused: true } })],
    ['removeWebhook', () => ({ params: { ...project, webhook: webhookId() } })],
    ['addPushSource', () => ({ params: project, body: { repository: 'booking' } })],
    ['pushed', () => ({ params: project, body: { repository: 'booking', ref: 'main', commit: '1'.repeat(40) } })],
    ['removePushSource', () => ({ params: { ...project, source: sourceId() } })],
    ['publishBadges', () => ({ params: project, body: { isPublic: true } })],
    ['badges', () => ({ params: project })],
    ['badge', () => ({ params: { key: badgeKey() }, query: { plan: PLAN } })],
    ['setBudget', () => ({ params: project, body: { runsADay: 1000, minutesADay: null } })],
    ['budget', () => ({ params: project })],
    ['setRetention', () => ({ params: project, body: { rule: 'keep 90 days' } })],
    ['retention', () => ({ params: project })],
    ['deleteRuns', () => ({ params: project, body: { runs: [idOf('startRun')] } })],
    ['signOut', () => ({})],
  ]
}
/** Routes that refuse in this order of things, with the code of the refusal. */
const REFUSALS: Partial<Record<Name, string>> = {
  addFirst: 'NOT_FIRST',
  changePassword: 'WRONG',
  approve: 'PROVEN',
  endToken: 'NO_TOKEN',
  endShare: 'NO_SHARE',
  stopRun: 'ENDED',
  pauseSchedule: 'NO_SCHEDULE',
  pushed: 'BAD_SIGNATURE',
}

const REPORTED = 'reported12'
/** What the command says of a run as it begins. */
function reported() {
  const [text, target] = [textOf(), `origin: ${place.ferries.origin}\n`]
  const files = { 'targets/here.target.yaml': target }
  const read = readPlan(PLAN, text, { files: (path) => (path in files ? target : undefined) })
  const plan = { ...read.plan, seed: 1 }
  const shape = shapeOf(plan, previewOf(plan).phases, read.target)
  return {
    ...{ id: REPORTED, tool: '0.1.0', target: null, labels: {}, startedAt: new Date().toISOString() },
    plan: { file: PLAN, text, files, set: {}, commit: null, branch: null, dirty: false, seed: 1, scale: 1 },
    change: { commit: 'a'.repeat(40), branch: 'main' },
    shape: createHash('sha256').update(JSON.stringify(shape)).digest('hex'),
  }
}
const PLAN_AND_TARGET = { plan: PLAN, target: 'here' }
const TARGET = 'targets/other.target.yaml'
const originOf = () => `origin: ${place.ferries.origin}\nsecrets: [user]\n`
const inDays = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString()
/** A branch with a commit of somebody else. */
function aside(): { branch: string; commit: string } {
  const { repository } = place
  const known = git(repository, 'for-each-ref', '--format=%(objectname)', 'refs/heads/aside')
  const commit =
    known === '' ? git(repository, 'commit-tree', 'HEAD^{tree}', '-p', 'HEAD', '-m', 'An empty one') : known
  git(repository, 'update-ref', 'refs/heads/aside', commit)
  return { branch: 'aside', commit }
}
const idOf = (name: Name) => String((seen.get(name) as { id: unknown }).id)
const pipelineChange = () => {
  const { text, base } = seen.get('pipelineText') as { text: string; base: string }
  return { text: text.replace('within 24h', 'within 12h'), message: 'Ask again after half a day', base }
}
const webhookId = () => String((seen.get('addWebhook') as { webhook: { id: number } }).webhook.id)
const sourceId = () => String((seen.get('addPushSource') as { source: { id: number } }).source.id)
const badgeKey = () => String((seen.get('publishBadges') as { badgeKey: unknown }).badgeKey)
const tokenOf = (name: Name) => String((seen.get(name) as { token: unknown }).token)
const textOf = () => (seen.get('plan') as { text: string }).text
const commitOf = () => (seen.get('history') as { commits: { commit: string }[] }).commits[0]?.commit ?? ''

async function faultsOf(name: Name, { params = {}, query = {}, body }: Example): Promise<string[]> {
  const route: Route = ROUTES[name]
  const path = route.path.replaceAll(/\{(\w+)\}/g, (_, part: string) => params[part] ?? '')
  const own = name === 'signInToDemo' ? {} : name === 'changes' ? await signedIn(place.server.origin) : await session()
  const search = new URLSearchParams(query).toString()

  // This one has no end: somebody signs out, and so ends it.
  const ends = name === 'changes' ? setTimeout(() => void signOutOf(own), 300) : undefined
  const answer = await callerOf(place.server.origin, own)(
    route.method,
    search === '' ? path : `${path}?${search}`,
    body,
  )
  clearTimeout(ends)
  seen.set(name, answer.body)

  const refusal = REFUSALS[name]
  if (refusal !== undefined) {
    const { code } = answer.body as { code?: string }
    return code === refusal ? schemaFaults(name, API_PROBLEM, answer.body) : [`${name}: ${String(code)}`]
  }
  if (answer.status !== route.status) return [`${name}: ${String(answer.status)} ${JSON.stringify(answer.body)}`]
  if (route.answer.kind === 'json') return oneOfFaults(name, route.answer.oneOf, answer.body)
  if (route.answer.kind === 'nothing') return answer.body === '' ? [] : [`${name}: it answers something`]
  if (!answer.type.startsWith(route.answer.type)) return [`${name}: it answers ${answer.type}`]
  return linesOf(route.answer.events, String(answer.body)).flatMap((line) =>
    oneOfFaults(name, route.answer.kind === 'text' ? (route.answer.events ?? []) : [], line),
  )
}

const linesOf = (events: readonly Schema[] | undefined, text: string): unknown[] =>
  events === undefined
    ? []
    : text
        .trim()
        .split('\n')
        .map((line) => JSON.parse(line) as unknown)

const signOutOf = (own: Record<string, string>) => callerOf(place.server.origin, own)('DELETE', '/session')

let headers: Record<string, string> | undefined
async function session(): Promise<Record<string, string>> {
  headers ??= await signedIn(place.server.origin)
  return headers
}

function oneOfFaults(name: Name, schemas: readonly Schema[], value: unknown): string[] {
  const faults = schemas.map((schema) => schemaFaults(name, schema, value))
  return faults.find((found) => found.length === 0) ?? faults.flat()
}

function schemaFaults(name: Name, schema: Schema, value: unknown): string[] {
  if (!(schema instanceof YupSchema)) return [`${name}: its schema is none of Yup`]
  try {
    schema.validateSync(value, { strict: true, abortEarly: false })
    const known = schema.cast(value, { stripUnknown: true, assert: false }) as unknown
    const more = moreThan(value, known, name)
    return more
  } catch (error) {
    if (error instanceof ValidationError) return error.errors.map((fault) => `${name}: ${fault}`)
    throw error
  }
}

/** Fields of an answer that its schema does not name. */
function moreThan(value: unknown, known: unknown, at: string): string[] {
  if (typeof value !== 'object' || value === null) return []
  if (typeof known !== 'object' || known === null) return [`${at}: it is not in the contract`]
  const names = new Map(Object.entries(known))
  return Object.entries(value).flatMap(([key, item]: [string, unknown]) =>
    names.has(key) ? moreThan(item, names.get(key), `${at}.${key}`) : [`${at}.${key}: it is not in the contract`],
  )
}
