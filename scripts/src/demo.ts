// The demo: the Larkholm repository as a Git repository of its own, and its first runs, really made.
import { execFileSync } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'

const OVERLOAD = 'plans/overload.gate.yaml'
const FIRST_RUNS = [
  'plans/smoke.gate.yaml',
  'plans/summer.gate.yaml',
  OVERLOAD,
  'plans/places.gate.yaml',
  'plans/smoke.gate.yaml',
]
/** Runs that were really made: `npm run record` makes them anew. */
export const RECORDED_RUNS = fileURLToPath(new URL('../recorded/demo-runs.jsonl.gz', import.meta.url))

/** What the stand-in asks for; no secret of anybody's. */
export const DEMO_SECRETS = { JOLT_SECRET_USER: 'purser', JOLT_SECRET_PASSWORD: 'grey-gull-9' }

/** Of the demo's server: each request is a line of its log, which is no news to the one who looks at the demo. */
export const DEMO_ENVIRONMENT = { JOLT_GATE_LOG: process.env['JOLT_GATE_LOG'] ?? 'warn', ...DEMO_SECRETS }

/** The key that seals secrets, made once and readable by its owner alone. */
export function sealKeyFile(folder: string): string {
  const file = join(folder, 'seal.key')
  if (!existsSync(file)) writeFileSync(file, randomBytes(32).toString('base64'), { mode: 0o600 })
  return file
}

/** Where the targets of the demo answer. */
export interface DemoOrigins {
  harbour: string
  staging: string
}

/** Makes the demo repository where it is missing, and points its targets at the stand-ins. */
export function prepareDemo(source: string, folder: string, origins: DemoOrigins): void {
  const git = (...words: string[]) =>
    execFileSync('git', words, { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'inherit'] })
  if (!existsSync(join(folder, '.git'))) {
    cpSync(source, folder, { recursive: true })
    git('init', '-q', '-b', 'main')
    git('config', 'user.name', 'Larkholm Ferries')
    git('config', 'user.email', 'harbour@larkholm.example')
    aim(folder, origins)
    git('add', '-A')
    git('commit', '-q', '-m', 'Load tests of the booking service')
    return
  }
  const aimed = aim(folder, origins)
  if (aimed.length > 0) git('commit', '-q', '-m', 'The stand-ins answer at other ports', '--', ...aimed)
}

/** @returns the files that have changed */
function aim(folder: string, origins: DemoOrigins): string[] {
  return Object.entries(origins).flatMap(([name, origin]: [string, string]) => {
    const file = `targets/${name}.target.yaml`
    const full = join(folder, file)
    // A demo of before has fewer targets.
    if (!existsSync(full)) return []
    const before = readFileSync(full, 'utf8')
    const after = before.replace(/^origin: .*$/m, `origin: ${origin}`)
    if (after === before) return []
    writeFileSync(full, after)
    return [file]
  })
}

/** Asks the server for the demo's first runs, one after another; resolves when they have ended. */
export async function makeFirstRuns(server: string): Promise<void> {
  const json = await demoSession(server)
  const { projects } = await json<{ projects: { id: number }[] }>(`${server}/api/projects`)
  const project = projects[0]?.id
  if (project === undefined) return
  const runsOf = `${server}/api/projects/${String(project)}/runs`
  // Those that were recorded are there already.
  const { runs } = await json<{ runs: unknown[] }>(`${runsOf}?plan=${OVERLOAD}`)
  if (runs.length > 0) return
  const ask = (plan: string) =>
    json<unknown>(runsOf, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ plan }),
    })
  for (const plan of FIRST_RUNS) await ask(plan)
  await untilNoneGoes(server, json)
  // On a machine that was too busy to trust its own figures the overload is void; the demo wants to show it shut.
  for (let attempt = 0; attempt < 2; attempt++) {
    const { runs: made } = await json<{ runs: { verdict: string }[] }>(runsOf)
    if (made.some((run) => run.verdict === 'shut')) return
    await ask(OVERLOAD)
    await untilNoneGoes(server, json)
  }
}

/** Waits until no run is under way or waits. */
export async function untilNoneGoes(server: string, json: Ask): Promise<void> {
  for (;;) {
    const { runs } = await json<{ runs: unknown[] }>(`${server}/api/queue`)
    if (runs.length === 0) return
    await sleep(500)
  }
}

export type Ask = <T>(url: string, init?: RequestInit, as?: 'json' | 'text') => Promise<T>

/** Signs in to the demo, or as somebody else, and asks in that session. */
export async function demoSession(server: string, as?: { email: string; password: string }): Promise<Ask> {
  const response = await fetch(`${server}/api/session${as === undefined ? '/demo' : ''}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(as ?? {}),
  })
  const cookie = response.headers.getSetCookie()[0]?.split(';')[0] ?? ''
  // Our own server's answers, whose shapes its description gives.
  const { csrf } = (await response.json()) as { csrf: string }
  return async <T>(url: string, init: RequestInit = {}, as: 'json' | 'text' = 'json'): Promise<T> => {
    const headers = new Headers(init.headers)
    headers.set('cookie', cookie)
    headers.set('x-jolt-gate-csrf', csrf)
    const answer = await fetch(url, { ...init, headers })
    if (!answer.ok) throw new Error(`${url}: ${await answer.text()}`)
    return (await answer[as]()) as T
  }
}
