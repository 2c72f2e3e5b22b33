// `npm run bench:networks`: what a link adds to a request, held against theory, for each protocol. Its own delay is
// what is measured beyond the theory and beyond the same requests without a link, in turns in one run.
import { spawn } from 'node:child_process'
import { createInterface } from 'node:readline'
import { fileURLToPath } from 'node:url'
import { readPlan } from '@jolt-gate/core'
import { startRun } from '@jolt-gate/engine'
import { ensurePrograms } from '../scripts/src/debian.js'
import { hostTimes, stolenShare } from './host.js'

const [USERS, SECONDS, WAIT_MS] = [20, 10, 100]
const [DELAY_MS, JITTER_MS, DOWN_BITS, UP_BITS] = [60, 20, 4_000_000, 1_000_000]
/** The aim: the own delay at p99, in ms. */
const MOST_OWN_MS = 1
/** Of the host's time; beyond that a tail is the host's. */
const MOST_STOLEN = 0.02

ensurePrograms(['nginx'])
const started = (args: string[]): Promise<string[]> =>
  new Promise((resolve) => {
    const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'inherit'] })
    process.on('exit', () => child.kill())
    createInterface({ input: child.stdout }).on('line', (line) => resolve(line.split(' ').slice(-3)))
  })
const [plain = '', secured = '', second = ''] = await started([
  '--import',
  'tsx',
  fileURLToPath(new URL('target.ts', import.meta.url)),
])
const ECHO = `const { WebSocketServer } = require('ws')
const tell = () => console.log('127.0.0.1:' + server.address().port)
const server = new WebSocketServer({ host: '127.0.0.1', port: 0 }, tell)
server.on('connection', (socket) => socket.on('message', () => socket.send('{"heard":true}')))`
const [echo = ''] = await started(['-e', ECHO])

const send = (path: string, more = '') => `      - { send: GET ${path}, name: ask${more} }\n`
const EXCHANGE = `          - say: { text: hello }
            name: say
          - await: json $.heard exists
            name: ask
            within: 5s
          - wait: ${String(WAIT_MS)}ms
`
const talk = `      - socket: GET /\n        name: open\n        steps:\n${EXCHANGE.repeat(20)}`

interface Figures {
  count: number
  mean: number
  sd: number
  p50: number
  p99: number
  bytes: number
}

/** Times of what is asked once a connection is there. */
async function measured(origin: string, steps: string, network: string): Promise<Figures> {
  const text = `jolt: 1
name: Networks
target: here
${network === '' ? 'connections: per user' : `networks: [${network}]`}
drain: 5s
journeys:
  a:
    returning: yes
    steps:
${steps}      - wait: ${String(WAIT_MS)}ms
load:
  - { phase: warm, users: ${String(USERS)}, spread: 1s, for: 3s, measure: no }
  - { phase: p, users: ${String(USERS)}, for: ${String(SECONDS)}s }
`
  const files = (path: string) =>
    path === 'targets/here.target.yaml' ? `origin: ${origin}\ntls: { verify: no }\n` : undefined
  const { plan, target, problems } = readPlan('plans/networks.gate.yaml', text, { files })
  const [problem] = problems
  if (problem !== undefined || target === undefined) throw new Error(problem?.message ?? 'no target')
  const { name, file, seed } = plan
  const identity = {
    ...{ id: 'networks', tool: 'bench' },
    plan: { name, file, commit: null, branch: null, dirty: false, seed },
  }
  const { result } = await startRun({ identity, secrets: {}, senders: 1, plan, target }).done
  const asked = result.steps.find((step) => step.name === 'ask')
  const times = asked?.responseTime
  if (asked === undefined || times == null || asked.failed > 0) throw new Error(`${origin}: ${JSON.stringify(asked)}`)
  const bytes = asked.bytesReceived / asked.requests
  const { count, mean, sd, percentiles } = times
  return { count, mean, sd, p50: percentiles['50'], p99: percentiles['99'], bytes }
}

const PROTOCOLS: [name: string, origin: string, small: string, large: string | null][] = [
  ['HTTP/1.1', `http://${plain}`, send('/'), send('/large')],
  ['HTTP/1.1 over TLS', `https://${secured}`, send('/'), send('/large')],
  ['HTTP/2 over TLS', `https://${second}`, send('/', ', http: 2'), send('/large', ', http: 2')],
  ['WebSocket', `http://${echo}`, talk, null],
]
const lines: string[][] = [['protocol', 'link', 'requests', 'theory', 'p50', 'p99', 'own p50', 'own p99', '']]
let missed = 0
/** Whether something is as it should be; where the host was busy while it was measured, nobody can tell. */
function met(isMet: boolean, before: ReturnType<typeof hostTimes>): string {
  const share = stolenShare(before)
  if (!isMet && share > MOST_STOLEN) return `cannot tell: others had ${(100 * share).toFixed(0)} %`
  if (!isMet) missed++
  return isMet ? 'met' : 'missed'
}
const ms = (value: number) => `${value.toFixed(2)} ms`
for (const [name, origin, small, large] of PROTOCOLS) {
  const before = hostTimes()
  const [bare, bareLarge] = [
    await measured(origin, small, ''),
    large === null ? null : await measured(origin, large, ''),
  ]
  const delayed = await measured(origin, small, `{ network: n, delay: ${String(DELAY_MS)}ms }`)
  const varied = await measured(
    origin,
    small,
    `{ network: n, delay: ${String(DELAY_MS)}ms, jitter: ${String(JITTER_MS)}ms }`,
  )
  const row = (link: string, theoryMs: number, without: Figures, { count, p50, p99 }: Figures) => {
    const own = [p50 - theoryMs - without.p50, p99 - theoryMs - without.p99]
    const times = [theoryMs, p50, p99, ...own].map(ms)
    lines.push([name, link, String(count), ...times, met((own[1] ?? 0) <= MOST_OWN_MS, before)])
  }
  row(`${String(DELAY_MS)} ms`, DELAY_MS, bare, delayed)
  // The sum of two uniform draws of half the jitter to either side each: its deviation is the jitter over √6.
  const [sd, sdTheory] = [Math.sqrt(Math.max(0, varied.sd ** 2 - delayed.sd ** 2)), JITTER_MS / Math.sqrt(6)]
  const isAsDrawn =
    Math.abs(sd / sdTheory - 1) < 0.05 &&
    Math.abs(varied.mean - delayed.mean) < (3 * sdTheory) / Math.sqrt(varied.count)
  lines.push([
    ...[name, `± ${String(JITTER_MS)} ms`, String(varied.count), `sd ${ms(sdTheory)}`, `sd ${ms(sd)}`, '', ''],
    ...[`mean ${ms(varied.mean - delayed.mean)}`, met(isAsDrawn, before)],
  ])
  if (large === null || bareLarge === null) continue
  const rates = `down: ${String(DOWN_BITS / 1e6)} Mbit/s, up: ${String(UP_BITS / 1e6)} Mbit/s`
  const limited = await measured(origin, large, `{ network: n, delay: ${String(DELAY_MS)}ms, ${rates} }`)
  row(`${String(DOWN_BITS / 1e6)} Mbit/s`, DELAY_MS + (8000 * limited.bytes) / DOWN_BITS, bareLarge, limited)
}
const widths = lines[0]?.map((_, column) => Math.max(...lines.map((cells) => cells[column]?.length ?? 0))) ?? []
for (const cells of lines)
  process.stdout.write(
    `${cells
      .map((cell, column) => cell.padEnd(widths[column] ?? 0))
      .join('  ')
      .trimEnd()}\n`,
  )
process.exit(missed === 0 ? 0 : 1)
