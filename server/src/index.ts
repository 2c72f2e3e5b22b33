// Starting and stopping a server; `main.ts` is its command line.
import { mkdirSync } from 'node:fs'
import { createServer } from 'node:http'
import { createServer as createSecureServer } from 'node:https'
import { closePorts, FleetWatch, readCoordinatorKey, type Collector, type FleetAsked } from '@jolt-gate/engine'
import { createApp } from './app.js'
import { CapacitySearches } from './capacity/searches.js'
import { portsHere, type DatabaseAddress } from './database/address.js'
import { migrate, openDatabase } from './database/connect.js'
import { lockDatabase, type Lock } from './database/lock.js'
import { StartFault } from './database/start-fault.js'
import { PersonRow } from './database/models.js'
import type { WatchedFleet } from './generators/routes.js'
import { Readiness } from './health/readiness.js'
import { keepTelling } from './health/telemetry.js'
import { log } from './observability/log.js'
import { newSetupCode } from './people/passwords.js'
import type { ProviderOptions } from './people/provider.js'
import { openProject } from './projects/add.js'
import { StageRuns } from './pipelines/stage-runs.js'
import { Triggers } from './pipelines/triggers.js'
import { ProjectWatch } from './projects/watch.js'
import { Rehearsals } from './rehearsals/rehearsals.js'
import { lockFolder } from './runs/folder-lock.js'
import { keepDeleting } from './runs/retention.js'
import { Reader } from './reported-runs/reader.js'
import { ReportedRuns } from './reported-runs/reported-runs.js'
import { RemoteStore } from './git/remotes.js'
import { askerOf } from './runs/ask.js'
import { addRecordedRuns } from './runs/recorded.js'
import { RunQueue } from './runs/queue.js'
import type { SealKey } from './targets/seal.js'
import { SecretStore } from './targets/secrets.js'
import { Signing } from './pushes/signing.js'
import { keepSending, type AuditTo } from './webhooks/audit-sending.js'
import { sealAnew } from './webhooks/new-key.js'
import { Webhooks } from './webhooks/webhooks.js'

export type { ProviderOptions } from './people/provider.js'
export { sealKeyFrom, type SealKey } from './targets/seal.js'

export type { DatabaseAddress } from './database/address.js'
export { bringUpToDate, migratorOf, openDatabase } from './database/connect.js'
export { startFaultOf } from './start-fault.js'

export interface ServerOptions {
  database: DatabaseAddress
  /** 0 chooses a free port. */
  port: number
  /** Folder of the built application. */
  pages: string | undefined
  /** Working copies that are open from the start. */
  projects: string[]
  /** Where journals of runs are kept: what the database does not know yet, and what outlives this process. */
  runsFolder: string
  /** Where new and cloned projects go. */
  projectsFolder?: string | undefined
  /** Where backups are put: their age is told. */
  backupsFolder?: string | undefined
  /** The address to listen on; loopback by default. */
  listen?: string
  /** Further names under which people reach this server. */
  hosts?: readonly string[]
  /** Certificate and key as PEM text. */
  tls?: { cert: string; key: string } | undefined
  isBehindProxy?: boolean
  sealKey?: SealKey | undefined
  /** The key before it: what that opens is sealed anew. */
  oldSealKey?: SealKey | undefined
  isDemo?: boolean
  /** A file of runs that the first of these projects has from its start, where it has none. */
  recordedRuns?: string | undefined
  provider?: ProviderOptions | undefined
  /** Whether people sign in by password, too; by default they do. */
  hasPasswords?: boolean
  /** After which a session ends that nobody has used. */
  idleMs?: number | undefined
  /** Where the audit log is sent, entry by entry, and what signs them (Standard Webhooks). */
  audit?: AuditTo | undefined
  /** How many runs this machine makes at once, each against another target; one by default. */
  runsAtOnce?: number | undefined
  /** That makes the load of plans with places. */
  fleet?: FleetAsked | undefined
  /** That takes results and series (OTLP). */
  collector?: Collector | undefined
  /** Waits for the end of a server that has the database or the folder of runs; without it that is refused. */
  isStandby?: boolean
  /** Another server has taken the database while that was away: this one is to end. */
  onTaken?: () => void
  /** Before each further attempt of a delivery. */
  deliveryWaitsMs?: readonly number[]
}

export interface JoltServer {
  origin: string
  /** For the first administrator; undefined when there are people already. */
  setupCode: string | undefined
  stop(): Promise<void>
}

/**
 * Starts the server, with its database brought up to date.
 *
 * @throws StartFault where another server has its database or its folder of runs
 */
export async function startServer(options: ServerOptions): Promise<JoltServer> {
  const locks = await takeLocks(options)
  const release = async () => {
    for (const lock of locks) await lock.release()
  }
  try {
    return await startAlone(options, release)
  } catch (error) {
    await release()
    throw error
  }
}

/** @param release - gives back what this server alone may have */
// eslint-disable-next-line max-lines-per-function -- all that starts with the server, in order
async function startAlone(options: ServerOptions, release: () => Promise<void>): Promise<JoltServer> {
  const fleet = watchedFleet(options.fleet)
  await migrate(options.database)
  const sequelize = openDatabase(options.database)
  const readiness = await readinessOf(options)
  for (const [index, path] of options.projects.entries()) {
    const { id } = await openProject(path)
    if (index === 0 && options.recordedRuns !== undefined) await addRecordedRuns(id, options.recordedRuns)
  }
  await takeNewKey(options)
  const watch = new ProjectWatch()
  await watch.follow()
  const rehearsals = new Rehearsals(options.runsFolder)
  void rehearsals.recover().catch((error: unknown) => {
    log.error({ err: error }, 'rehearsals that were cut off could not be noted')
  })
  const queue = new RunQueue(options.runsFolder, options.runsAtOnce, options.fleet)
  const searches = new CapacitySearches(queue, options.runsFolder, options.fleet)
  await searches.recover()
  const reader = new Reader()
  const reported = new ReportedRuns(reader, (id, event) => {
    queue.emit(id, event)
  })
  const secrets = new SecretStore(options.sealKey)
  const ask = askerOf(secrets)
  const stages = new StageRuns(queue, ask)
  const signing = new Signing(options.sealKey)
  const webhooks = new Webhooks(signing, options.deliveryWaitsMs)
  const stopSending = options.audit === undefined ? undefined : keepSending(options.audit)
  const setupCode = (await PersonRow.count()) === 0 ? newSetupCode() : undefined
  const { listen = '127.0.0.1', tls, isBehindProxy = false } = options
  const app = createApp({
    readiness,
    rehearsals,
    queue,
    searches,
    reported,
    ask,
    stages,
    webhooks,
    signing,
    watch,
    secrets,
    fleet,
    remotes: new RemoteStore(options.sealKey),
    pages: options.pages,
    projectsFolder: options.projectsFolder,
    hosts: options.hosts ?? [],
    isBehindProxy,
    isDemo: options.isDemo ?? false,
    setupCode,
    provider: options.provider,
    hasPasswords: options.hasPasswords ?? true,
    idleMs: options.idleMs,
    isSecure: tls !== undefined || isBehindProxy,
  })
  const server = tls === undefined ? createServer(app) : createSecureServer(tls, app)
  const port = await new Promise<number>((resolve, reject) => {
    server.once('error', reject)
    server.listen(options.port, listen, () => {
      const address = server.address()
      resolve(typeof address === 'object' && address !== null ? address.port : options.port)
    })
  })
  fleet?.watch.start()
  const openPorts = closePorts([port, ...portsHere(options.database)])
  const stopDeleting = keepDeleting()
  const stopTelling = options.collector === undefined ? undefined : keepTelling(options.collector)
  queue.resume(({ projectId, planFile, targetName, branch, stageRunId }) =>
    ask(String(projectId), planFile, targetName, branch ?? undefined, stageRunId),
  )
  await stages.resume()
  const triggers = new Triggers(stages)
  void triggers.look()
  const [host] = options.hosts ?? []
  const here = `${listen === '0.0.0.0' ? '127.0.0.1' : listen}:${String(port)}`
  webhooks.follow(`${tls !== undefined || isBehindProxy ? 'https' : 'http'}://${host ?? here}`)
  return {
    setupCode,
    origin: `${tls === undefined ? 'http' : 'https'}://${here}`,
    async stop() {
      stopDeleting()
      await stopSending?.()
      await webhooks.close()
      await triggers.close()
      await stages.close()
      reported.close()
      await reader.close()
      await searches.close()
      await queue.close()
      await fleet?.watch.close()
      await stopTelling?.()
      await watch.close()
      server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
      await sequelize.close()
      await release()
      openPorts()
    },
  }
}

/** @throws StartFault where a folder cannot be written to; one that is nearly full is told in the log */
async function readinessOf({ runsFolder, projectsFolder, backupsFolder }: ServerOptions): Promise<Readiness> {
  if (projectsFolder !== undefined) mkdirSync(projectsFolder, { recursive: true })
  const readiness = new Readiness({ runs: runsFolder, projects: projectsFolder, backups: backupsFolder })
  const { faults, full, warnings } = await readiness.lookAtFolders()
  const [fault] = faults
  if (fault !== undefined) throw new StartFault(`${fault}: give it to the server, or name another`)
  for (const warning of [...full, ...warnings]) log.warn(warning)
  return readiness
}

async function takeNewKey({ sealKey, oldSealKey }: ServerOptions): Promise<void> {
  if (sealKey === undefined || oldSealKey === undefined) return
  const { sealed, lost } = await sealAnew(oldSealKey, sealKey)
  log.warn({ sealed, lost }, 'what was sealed with the old key is sealed with the new one; the old one can go')
}

/** @throws StartFault where its key cannot be read */
function watchedFleet(asked: FleetAsked | undefined): WatchedFleet | undefined {
  if (asked === undefined) return undefined
  const { address, keyFile } = asked
  try {
    const key = readCoordinatorKey(keyFile)
    return { address, hasTls: key.authority !== null, watch: new FleetWatch(address, key) }
  } catch (error) {
    throw new StartFault(`--fleet-key: ${error instanceof Error ? error.message : String(error)}`)
  }
}

/** The database and the folder of runs are one server's alone. */
async function takeLocks(options: ServerOptions): Promise<Lock[]> {
  const { isStandby = false, onTaken = () => undefined } = options
  const database = await lockDatabase(options.database, isStandby, onTaken)
  try {
    return [database, await lockFolder(options.runsFolder, isStandby)]
  } catch (error) {
    await database.release()
    throw error
  }
}
