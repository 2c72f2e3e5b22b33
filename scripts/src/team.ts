// The demo's team beside the one who is signed in: a colleague with a change that waits for approval, and the account
// of the pipeline. The default branch is protected from the start.
import { randomBytes } from 'node:crypto'
import { demoSession, type Ask } from './demo.js'

/** The colleague; on loopback, in the demo, the password is no secret. */
const COLLEAGUE = { name: 'Tove Berth', email: 'tove@larkholm.example', password: 'tide-tables-at-dawn' }
const PIPELINE = { name: 'Booking pipeline', email: 'pipeline@larkholm.example' }
const WAITING = { branch: 'june-rush', file: 'plans/peak.gate.yaml' }
const TOKEN_MS = 30 * 86_400_000

const JSON_BODY = { 'content-type': 'application/json' }
const sending = (method: string, body: unknown, headers = {}): RequestInit => ({
  ...{ method, body: JSON.stringify(body), headers: { ...JSON_BODY, ...headers } },
})

/** Makes the colleague where there is none yet, with a change that waits, and protects the default branch. */
export async function addColleague(server: string): Promise<void> {
  const ask = await demoSession(server)
  const isKnown = (await peopleOf(server, ask)).some(({ email }) => email === COLLEAGUE.email)
  if (!isKnown) await addWithChange(server, ask)
}

const peopleOf = async (server: string, ask: Ask) =>
  (await ask<{ people: { id: number; email: string }[] }>(`${server}/api/people`)).people

/** A token of the pipeline's own account; those of earlier starts end. */
export async function pipelineToken(server: string): Promise<string> {
  const ask = await demoSession(server)
  const people = await peopleOf(server, ask)
  const password = randomBytes(18).toString('base64')
  const known = people.find(({ email }) => email === PIPELINE.email)
  if (known === undefined) await ask(`${server}/api/people`, sending('POST', { ...PIPELINE, password, role: 'author' }))
  else await ask(`${server}/api/people/${String(known.id)}/password`, sending('PUT', { password }), 'text')
  const pipeline = await demoSession(server, { email: PIPELINE.email, password })
  const { token } = await pipeline<{ token: string }>(
    `${server}/api/tokens`,
    sending('POST', {
      label: 'pipeline of the demo',
      ...{ scopes: ['read', 'report'], project: 1, until: new Date(Date.now() + TOKEN_MS).toISOString() },
    }),
  )
  return token
}

async function addWithChange(server: string, ask: Ask): Promise<void> {
  await ask(`${server}/api/people`, sending('POST', { ...COLLEAGUE, role: 'author' }))
  const colleague = await demoSession(server, COLLEAGUE)
  const project = `${server}/api/projects/1`
  const { branches } = await ask<{ branches: string[] }>(`${project}/branches`)
  if (!branches.includes(WAITING.branch)) {
    await colleague(`${project}/branches`, sending('POST', { name: WAITING.branch }))
    const at = `${project}/plan?file=${encodeURIComponent(WAITING.file)}`
    const headers = { 'jolt-gate-branch': WAITING.branch }
    const { text, base } = await colleague<{ text: string; base: string }>(at, { headers })
    const change = { text: text.replace('rush, rate: 110/s', 'rush, rate: 120/s'), base }
    await colleague(at, sending('PUT', { ...change, message: 'A rush as on the last Saturday of June' }, headers))
  }
  await ask(`${project}/protection`, sending('PUT', { isProtected: true }), 'text')
}
