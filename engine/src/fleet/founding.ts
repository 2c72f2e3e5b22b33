// The files of a fleet: the server's configuration, who may connect, and their keys.
import { execFileSync } from 'node:child_process'
import { chmodSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { array, object, string, type InferType } from 'yup'
import { isLoopback, parseJson, PLACE_NAME, PLACE_NAME_WORDS } from '@jolt-gate/core'
import { newSigningPair, newUser, type CoordinatorKey, type GeneratorKey } from './keys.js'
import { idOf, permissionsOf } from './subjects.js'

const [FACTS, CONFIGURATION, AUTHORITY, SERVER] = ['fleet.json', 'nats.conf', 'authority', 'server']
export const COORDINATOR_KEY = 'coordinator.key'
const DAYS = '3650'

const facts = object({
  host: string().required(),
  port: string()
    .required()
    .matches(/^\d{1,5}$/),
  /** The coordinator's name on the bus, and what it signs with, to be read by generators. */
  coordinator: string().required(),
  obeys: string().required(),
  generators: array()
    .of(object({ id: string().required(), user: string().required() }))
    .required(),
})
type Facts = InferType<typeof facts>

/**
 * Founds a fleet in a folder: the configuration of its server, the coordinator's key and, beyond loopback, an authority
 * and the server's certificate, by openssl.
 *
 * @param host - by which generators reach the server
 * @throws Error where there is one already
 */
export function foundFleet(folder: string, { host, port }: { host: string; port: number }): void {
  mkdirSync(folder, { recursive: true, mode: 0o700 })
  if (existsSync(join(folder, FACTS))) throw new Error(`${folder} holds a fleet already`)
  if (!/^[a-zA-Z0-9.-]+$/.test(host)) throw new Error(`${host} is no name of a host`)
  const isHere = isLoopback(`http://${host}`)
  if (!isHere) makeCertificates(folder, host)
  const [pair, user] = [newSigningPair(), newUser()]
  const key: CoordinatorKey = {
    ...{ kind: 'coordinator', seed: user.seed, signs: pair.signs },
    authority: authorityOf(folder, isHere),
  }
  writeKey(join(folder, COORDINATOR_KEY), key)
  write(folder, { host, port: String(port), coordinator: user.user, obeys: pair.obeys, generators: [] })
}

/** Lets a generator in, and gives the path of its key; it is known once the server has read its configuration again. */
export function addGenerator(folder: string, { name, place }: { name: string; place: string }): string {
  const known = readFacts(folder)
  for (const [what, text] of Object.entries({ name, place }))
    if (!PLACE_NAME.test(text)) throw new Error(`${text} is no ${what}: ${PLACE_NAME_WORDS}`)
  const id = idOf(place, name)
  if (known.generators.some((one) => one.id.endsWith(`/${name}`)))
    throw new Error(`there is a generator ${name} already`)
  const { seed, user } = newUser()
  const path = join(folder, `${name}.key`)
  const key: GeneratorKey = {
    ...{ kind: 'generator', name, place, seed, obeys: known.obeys },
    authority: authorityOf(folder, isLoopback(`http://${known.host}`)),
  }
  writeKey(path, key)
  write(folder, { ...known, generators: [...known.generators, { id, user }] })
  return path
}

/** Lets a generator in no more. */
export function removeGenerator(folder: string, name: string): void {
  const known = readFacts(folder)
  const generators = known.generators.filter(({ id }) => !id.endsWith(`/${name}`))
  if (generators.length === known.generators.length) throw new Error(`there is no generator ${name}`)
  write(folder, { ...known, generators })
}

/** The configuration that a server is started with. */
export const configurationOf = (folder: string): string => join(folder, CONFIGURATION)

function readFacts(folder: string): Facts {
  const path = join(folder, FACTS)
  if (!existsSync(path)) throw new Error(`${folder} holds no fleet: make one with "fleet init"`)
  return facts.validateSync(parseJson(readFileSync(path, 'utf8')), { strict: true })
}

function write(folder: string, known: Facts): void {
  writeFileSync(join(folder, FACTS), `${JSON.stringify(known, null, 2)}\n`, { mode: 0o600 })
  writeFileSync(join(folder, CONFIGURATION), configurationText(known), { mode: 0o600 })
}

const quoted = (texts: readonly string[]): string => `[${texts.map((text) => JSON.stringify(text)).join(', ')}]`

function configurationText({ host, port, coordinator, generators }: Facts): string {
  const isHere = isLoopback(`http://${host}`)
  const users = generators.map(({ id, user }) => {
    const { publish, subscribe } = permissionsOf(id)
    return `    # ${id}
    { nkey: ${user}, permissions: {
      publish: ${quoted(publish)}, subscribe: ${quoted(subscribe)}, allow_responses: { max: 1, expires: "2m" } } }`
  })
  return `# Written by "jolt-gate fleet": changes by hand are lost with the next generator.
server_name: jolt-gate-fleet
listen: "${isHere ? '127.0.0.1' : '0.0.0.0'}:${port}"
max_payload: 1MB
max_connections: 10000
# What generators told and nobody has taken yet; below the folder in which the server is started.
jetstream { store_dir: "jetstream", max_memory_store: 256MB, max_file_store: 2GB }
${isHere ? '' : `tls { cert_file: "${SERVER}.crt", key_file: "${SERVER}.key", timeout: 5 }\n`}authorization {
  users: [
    # The coordinator.
    { nkey: ${coordinator}, permissions: { publish: ">", subscribe: ">" } }
${users.join('\n')}
  ]
}
`
}

function writeKey(path: string, key: CoordinatorKey | GeneratorKey): void {
  writeFileSync(path, `${JSON.stringify(key, null, 2)}\n`, { mode: 0o600 })
  chmodSync(path, 0o600)
}

const authorityOf = (folder: string, isHere: boolean): string | null =>
  isHere ? null : readFileSync(join(folder, `${AUTHORITY}.crt`), 'utf8')

/** An authority of the fleet's own, and a certificate of the server by it. */
function makeCertificates(folder: string, host: string): void {
  const openssl = (...args: string[]) => execFileSync('openssl', args, { cwd: folder, stdio: 'ignore' })
  const newKey = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256', '-nodes']
  const authority = ['-keyout', `${AUTHORITY}.key`, '-out', `${AUTHORITY}.crt`, '-days', DAYS]
  openssl('req', '-x509', ...newKey, ...authority, '-subj', '/CN=Jolt Gate fleet')
  openssl('req', ...newKey, '-keyout', `${SERVER}.key`, '-out', `${SERVER}.csr`, '-subj', `/CN=${host}`)
  const name = /^[\d.]+$/.test(host) ? `IP:${host}` : `DNS:${host}`
  writeFileSync(join(folder, `${SERVER}.ext`), `subjectAltName=${name}\nextendedKeyUsage=serverAuth\n`)
  const by = ['-CA', `${AUTHORITY}.crt`, '-CAkey', `${AUTHORITY}.key`, '-CAcreateserial']
  openssl(
    'x509',
    '-req',
    '-in',
    `${SERVER}.csr`,
    ...by,
    '-out',
    `${SERVER}.crt`,
    '-days',
    DAYS,
    '-extfile',
    `${SERVER}.ext`,
  )
  for (const file of [AUTHORITY, SERVER]) chmodSync(join(folder, `${file}.key`), 0o600)
}
