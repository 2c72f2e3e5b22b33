// node dist/main.js --socket S --database jolt_gate --port 7700 --pages web/dist --project DIR --runs-folder DIR
import { userInfo } from 'node:os'
import { parseArgs } from 'node:util'
import { existsSync, readFileSync } from 'node:fs'
import { isLoopbackAddress } from '@jolt-gate/core'
import { ROLES } from '@jolt-gate/core/api'
import { nodeFault } from '@jolt-gate/core/identity'
import type { ProviderOptions, ServerOptions } from './index.js'

const tooOld = nodeFault(process.versions.node)
if (tooOld !== undefined) {
  process.stderr.write(`${tooOld}\n`)
  process.exit(2)
}

const { values } = parseArgs({
  options: {
    socket: { type: 'string' },
    'database-host': { type: 'string' },
    'database-port': { type: 'string', default: '3306' },
    'database-ca': { type: 'string' },
    database: { type: 'string', default: 'jolt_gate' },
    'database-user': { type: 'string', default: userInfo().username },
    'database-connections': { type: 'string', default: '8' },
    port: { type: 'string', default: '0' },
    pages: { type: 'string' },
    project: { type: 'string', multiple: true, default: [] },
    'projects-folder': { type: 'string' },
    'runs-folder': { type: 'string' },
    'backups-folder': { type: 'string' },
    listen: { type: 'string', default: '127.0.0.1' },
    host: { type: 'string', multiple: true, default: [] },
    'tls-cert': { type: 'string' },
    'tls-key': { type: 'string' },
    'behind-proxy': { type: 'boolean', default: false },
    'key-file': { type: 'string' },
    'old-key-file': { type: 'string' },
    demo: { type: 'boolean', default: false },
    'recorded-runs': { type: 'string' },
    otlp: { type: 'string' },
    'runs-at-once': { type: 'string', default: '1' },
    'oidc-issuer': { type: 'string' },
    'oidc-client': { type: 'string' },
    'oidc-name': { type: 'string' },
    'oidc-role': { type: 'string' },
    'no-passwords': { type: 'boolean', default: false },
    'idle-minutes': { type: 'string' },
    'audit-to': { type: 'string' },
    network: { type: 'string', multiple: true, default: [] },
    standby: { type: 'boolean', default: false },
    fleet: { type: 'string' },
    'fleet-key': { type: 'string' },
  },
})
const databasePort = Number(values['database-port'])
if (!Number.isInteger(databasePort) || databasePort < 1 || databasePort > 65_535) {
  process.stderr.write('--database-port is a whole number from 1 to 65535\n')
  process.exit(2)
}
if (values['runs-folder'] === undefined) {
  process.stderr.write('--runs-folder is needed: a folder of its own for runs under way\n')
  process.exit(2)
}
const runsAtOnce = Number(values['runs-at-once'])
if (!Number.isInteger(runsAtOnce) || runsAtOnce < 1 || runsAtOnce > 16) {
  process.stderr.write('--runs-at-once is a whole number from 1 to 16\n')
  process.exit(2)
}
const connections = Number(values['database-connections'])
if (!Number.isInteger(connections) || connections < 2 || connections > 200) {
  process.stderr.write('--database-connections is a whole number from 2 to 200\n')
  process.exit(2)
}
const { 'tls-cert': cert, 'tls-key': key } = values
if (!isLoopbackAddress(values.listen) && cert === undefined && !values['behind-proxy']) {
  process.stderr.write('beyond loopback TLS is required: use --tls-cert and --tls-key, or --behind-proxy\n')
  process.exit(2)
}
if (values.demo && (values['behind-proxy'] || !isLoopbackAddress(values.listen))) {
  process.stderr.write('--demo signs everyone in: it is for loopback alone, and never behind a proxy\n')
  process.exit(2)
}
function providerOf(): ProviderOptions | undefined {
  const { 'oidc-issuer': issuer, 'oidc-client': client, 'oidc-name': name, 'oidc-role': role } = values
  if (issuer === undefined) return undefined
  const newRole = ROLES.find((one) => one === role)
  if (client === undefined || !URL.canParse(issuer) || (role !== undefined && newRole === undefined)) {
    process.stderr.write(`--oidc-issuer is a URL and needs --oidc-client; --oidc-role is one of ${ROLES.join(', ')}\n`)
    process.exit(2)
  }
  const secret = process.env['JOLT_GATE_OIDC_SECRET']
  return { issuer, client, secret, name: name ?? new URL(issuer).hostname, newRole }
}

const idleMinutes = values['idle-minutes'] === undefined ? undefined : Number(values['idle-minutes'])
if (idleMinutes !== undefined && !(idleMinutes >= 1 && idleMinutes <= 720)) {
  process.stderr.write('--idle-minutes is a number from 1 to 720\n')
  process.exit(2)
}
if (values['no-passwords'] && values['oidc-issuer'] === undefined) {
  process.stderr.write('--no-passwords needs --oidc-issuer: nobody could sign in\n')
  process.exit(2)
}

function placeOfDatabase(): { socketPath: string } | { host: string; port: number; ca: string | undefined } {
  const { socket: socketPath, 'database-host': host, 'database-ca': caFile } = values
  if (socketPath !== undefined && host === undefined) return { socketPath }
  if (socketPath === undefined && host !== undefined)
    return { host, port: databasePort, ca: caFile === undefined ? undefined : readFileSync(caFile, 'utf8') }
  process.stderr.write('one of --socket and --database-host is needed: where MariaDB is\n')
  process.exit(2)
}
function fleetOf(): { address: string; keyFile: string } | undefined {
  const { fleet: address, 'fleet-key': keyFile } = values
  if (address === undefined && keyFile === undefined) return undefined
  if (address !== undefined && keyFile !== undefined && existsSync(keyFile)) return { address, keyFile }
  process.stderr.write("--fleet, nats://HOST:4222, and --fleet-key, the file of the coordinator's key, go together\n")
  process.exit(2)
}
const placeOfMariaDb = placeOfDatabase()

// Loaded only now: a slip in the options is told at once.
const { sealKeyFrom, startFaultOf, startServer } = await import('./index.js')
const { collectorAt, holdToNetworks } = await import('@jolt-gate/engine')
const networkFault = holdToNetworks(values.network)
if (networkFault !== undefined) {
  process.stderr.write(`--network: ${networkFault}\n`)
  process.exit(2)
}
const collector =
  values.otlp === undefined ? undefined : collectorAt(values.otlp, process.env['OTEL_EXPORTER_OTLP_HEADERS'])
if (typeof collector === 'string') {
  process.stderr.write(`--otlp: ${collector}\n`)
  process.exit(2)
}
const options: ServerOptions = {
  database: {
    ...placeOfMariaDb,
    user: values['database-user'],
    password: process.env['JOLT_GATE_DATABASE_PASSWORD'],
    database: values.database,
    connections,
  },
  port: Number(values.port),
  pages: values.pages,
  projects: values.project,
  projectsFolder: values['projects-folder'],
  runsFolder: values['runs-folder'],
  backupsFolder: values['backups-folder'],
  listen: values.listen,
  hosts: values.host,
  tls:
    cert === undefined || key === undefined
      ? undefined
      : { cert: readFileSync(cert, 'utf8'), key: readFileSync(key, 'utf8') },
  isBehindProxy: values['behind-proxy'],
  sealKey: sealKeyFrom(values['key-file'], process.env),
  oldSealKey: values['old-key-file'] === undefined ? undefined : sealKeyFrom(values['old-key-file'], {}),
  isDemo: values.demo,
  recordedRuns: values['recorded-runs'],
  provider: providerOf(),
  hasPasswords: !values['no-passwords'],
  idleMs: idleMinutes === undefined ? undefined : idleMinutes * 60_000,
  audit:
    values['audit-to'] === undefined
      ? undefined
      : { url: values['audit-to'], secret: process.env['JOLT_GATE_AUDIT_SECRET'] ?? '' },
  collector,
  runsAtOnce,
  fleet: fleetOf(),
  isStandby: values.standby,
  onTaken: () => {
    process.stderr.write('another server has taken the database while it was away: this one ends\n')
    process.exitCode = 1
    process.kill(process.pid, 'SIGTERM')
  },
}
const server = await startServer(options).catch((error: unknown) => {
  const fault = startFaultOf(error, options)
  if (fault === undefined) throw error
  process.stderr.write(`${fault}\n`)
  process.exit(1)
})
// One who reads the address and no more is no reason to end.
process.stdout.on('error', () => undefined)
if (server.setupCode !== undefined)
  process.stdout.write(`setup code for the first administrator: ${server.setupCode}\n`)
process.stdout.write(`Jolt Gate answers at ${server.origin}\n`)
/** Whoever keeps services running kills those that take longer; what is not stored by then stands in the journals. */
const STOP_WITHIN_MS = 25_000
const stop = () => {
  setTimeout(() => process.exit(), STOP_WITHIN_MS).unref()
  void server.stop().then(() => process.exit())
}
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, stop)
// The one who started it is gone, killed perhaps.
process.once('disconnect', stop)
