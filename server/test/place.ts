// A server with its database, a project on disk, and the stand-in: what the tests of the server begin with.
import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { addDatabase, dropDatabase } from '@jolt-gate/scripts'
import { startServer } from '@jolt-gate/server'
import { startFerries } from '@jolt-gate/stand-in-ferries'
import { afterAll, beforeAll, inject } from 'vitest'

export interface Answer {
  status: number
  body: unknown
  type: string
}
export type Call = (method: string, path: string, body?: unknown, headers?: Record<string, string>) => Promise<Answer>
export type Place = Awaited<ReturnType<typeof startPlace>>

export const PLAN = 'plans/short.gate.yaml'
export const planText = (seconds: number) =>
  `jolt: 1\nname: Short\ntarget: here\njourneys:\n  a:\n    steps:\n      - send: GET /health\n        name: health\nload:\n  - { phase: p, rate: 20/s, for: ${String(seconds)}s }\ngates:\n  - failed requests at most 1 %\n`

export const PIPELINE = 'pipelines/booking.pipeline.yaml'
const PIPELINE_TEXT = `jolt: 1
pipeline: booking
stages:
  - stage: staging
    plans: [${PLAN}]
  - stage: production
    begins: admission
    requires: [staging within 24h]
    approval: administrator
`

export async function startPlace(isDemo = true, more: Partial<Parameters<typeof startServer>[0]> = {}) {
  const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-server-'))
  const repository = join(folder, 'booking')
  const ferries = await startFerries()
  for (const name of ['plans', 'targets', 'pipelines']) mkdirSync(join(repository, name), { recursive: true })
  writeFileSync(join(repository, PLAN), planText(2))
  writeFileSync(join(repository, 'targets/here.target.yaml'), `origin: ${ferries.origin}\n`)
  writeFileSync(join(repository, PIPELINE), PIPELINE_TEXT)
  git(repository, 'init', '-q', '-b', 'main')
  git(repository, 'config', 'user.name', 'T')
  git(repository, 'config', 'user.email', 't@t.example')
  git(repository, 'add', '-A')
  git(repository, 'commit', '-qm', 'first')
  const database = newDatabase()
  const server = await startServer({
    database,
    port: 0,
    pages: undefined,
    projects: [repository],
    projectsFolder: join(folder, 'projects'),
    runsFolder: join(folder, 'runs'),
    sealKey: { key: Buffer.alloc(32, 7) },
    deliveryWaitsMs: [200, 300],
    isDemo,
    ...more,
  })
  return {
    folder,
    repository,
    ferries,
    database,
    server,
    project: '/projects/1',
    async stop() {
      await server.stop()
      dropDatabase(database.socketPath, database.database)
      await ferries.stop()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

let databases = 0
/** An empty database on the server of this project of tests. */
export function newDatabase(): { socketPath: string; user: string; database: string } {
  const socketPath = inject('mariaDbSocket')
  const database = `jolt_gate_${String(process.pid)}_${String(databases++)}`
  return { socketPath, user: addDatabase(socketPath, database), database }
}

/** The server of one file of tests, with the demo's person signed in: there while tests run, and gone after them. */
export function demoPlace(): { place: Place; call: Call } {
  return placeOf(async () => {
    const place = await startPlace()
    return { place, call: callerOf(place.server.origin, await signedIn(place.server.origin)) }
  })
}

/** The same for a team: its first administrator has signed up. */
export function teamPlace(): { place: Place; administrator: Call } {
  const { place, call } = placeOf(async () => {
    const place = await startPlace(false)
    const { origin, setupCode: code } = place.server
    const first = { name: 'Ida Quay', email: 'ida@larkholm.example', password: 'a-tide-table-and-a-half', code }
    return { place, call: callerOf(origin, await signedIn(origin, '/people/first', first)) }
  })
  return { place, administrator: call }
}

/** Started before the tests of a file, and not at all where none of them is run. */
function placeOf(start: () => Promise<{ place: Place; call: Call }>): { place: Place; call: Call } {
  let made: { place: Place; call: Call } | undefined
  const now = () => {
    if (made === undefined) throw new Error('the server is there from the first test on')
    return made
  }
  beforeAll(async () => {
    made = await start()
  })
  afterAll(() => made?.place.stop())
  // What tests hold is the place that comes: its parts are asked of it each time.
  const place = new Proxy<Partial<Place>>({}, { get: (_, part) => Reflect.get(now().place, part) as unknown }) as Place
  return { place, call: (...words) => now().call(...words) }
}

export function git(folder: string, ...words: string[]): string {
  return execFileSync('git', words, { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] }).trim()
}

/** Calls of the API with some headers of their own. */
export function callerOf(origin: string, own: Record<string, string> = {}): Call {
  return async (method, path, body, headers = {}) => {
    const all = { ...own, ...headers }
    const init: RequestInit =
      body === undefined
        ? { method, headers: all }
        : { method, headers: { 'content-type': 'application/json', ...all }, body: JSON.stringify(body) }
    const response = await fetch(`${origin}/api${path}`, init)
    const text = await response.text()
    const type = response.headers.get('content-type') ?? ''
    return {
      status: response.status,
      body: /json$|json;/.test(type) && !type.includes('ndjson') ? (JSON.parse(text) as unknown) : text,
      type,
    }
  }
}

/** Signs in, and gives the headers of that session. */
export async function signedIn(
  origin: string,
  path = '/session/demo',
  body: unknown = {},
): Promise<Record<string, string>> {
  const response = await fetch(`${origin}/api${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  })
  const { csrf = '' } = (await response.json()) as { csrf?: string }
  return { cookie: response.headers.getSetCookie()[0]?.split(';')[0] ?? '', 'x-jolt-gate-csrf': csrf }
}

/** An empty repository to push to. */
export function bareRemote({ folder }: Pick<Place, 'folder'>): string {
  const path = join(folder, 'remote.git')
  mkdirSync(path, { recursive: true })
  git(path, 'init', '-q', '--bare', '-b', 'main')
  return path
}
