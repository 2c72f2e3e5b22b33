// `fleet` and `generate`: makes the files of a fleet, and joins one as a generator.
import { resolve } from 'node:path'
import {
  addGenerator,
  configurationOf,
  COORDINATOR_KEY,
  Fleet,
  fleetGenerators,
  foundFleet,
  joinFleet,
  readCoordinatorKey,
  readGeneratorKey,
  removeGenerator,
  type RunOptions,
} from '@jolt-gate/engine'
import { VERSION } from '@jolt-gate/core/identity'
import { EXIT, UsageError } from './errors.js'
import type { Output } from './options.js'

const PORT = 4222

/** Says what is wrong with a file, a name or an address, as the command does. */
function orUsage<T>(work: () => T): T {
  try {
    return work()
  } catch (error) {
    throw new UsageError(error instanceof Error ? error.message : String(error))
  }
}

export function initFleet(folder: string, { host, port = PORT }: { host: string; port?: number }): number {
  orUsage(() => {
    foundFleet(folder, { host, port })
  })
  process.stdout.write(
    `${resolve(folder)} holds a fleet. Start its server in it:
  cd ${folder} && nats-server -c ${configurationOf('')}
Runs ask for it with the coordinator's key, which only they need:
  jolt-gate run PLAN --fleet nats://${host}:${String(port)} --fleet-key ${folder}/${COORDINATOR_KEY}
Let generators in:
  jolt-gate fleet add NAME --place north --folder ${folder}
`,
  )
  return EXIT.ok
}

export function addToFleet(name: string, { place, folder }: { place: string; folder: string }): number {
  const path = orUsage(() => addGenerator(folder, { name, place }))
  process.stdout.write(
    `${path} is the key of ${name}: take it there, and keep it secret. It is let in once the server has read its configuration again:
  nats-server --signal reload
  jolt-gate generate --join nats://HOST:${String(PORT)} --key ${name}.key
`,
  )
  return EXIT.ok
}

export function removeFromFleet(name: string, { folder }: { folder: string }): number {
  orUsage(() => {
    removeGenerator(folder, name)
  })
  process.stdout.write(
    `${name} is let in no more, and is sent away once the server has read its configuration again:\n  nats-server --signal reload\n`,
  )
  return EXIT.ok
}

export interface GenerateArguments {
  join: string
  key: string
  place?: string
  threads?: number
  allowLoopback?: boolean
}

/** Makes load for a fleet until it is told to end. */
export async function generate(options: GenerateArguments, { quiet }: Output): Promise<number> {
  const key = orUsage(() => readGeneratorKey(options.key))
  if (options.place !== undefined && options.place !== key.place)
    throw new UsageError(`${options.key} is the key of a generator in ${key.place}, not in ${options.place}`)
  if (options.threads === 0) throw new UsageError('--threads: at least one')
  const news = (words: string) => {
    if (!quiet) process.stderr.write(`${words}\n`)
  }
  const ending = new Promise<NodeJS.Signals>((resolved) => {
    for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.once(signal, resolved)
  })
  const { join: address, threads, allowLoopback: allowsLoopback = false } = options
  const asked = { address, key, version: VERSION, threads, allowsLoopback, onNews: news }
  const generator = await joinFleet(asked).catch((error: unknown) => {
    throw new UsageError(error instanceof Error ? error.message : String(error))
  })
  news(`${generator.id} has joined ${address}`)
  news(`${await ending}: leaving the fleet`)
  await generator.close()
  return EXIT.ok
}

export interface FleetArguments {
  fleet?: string
  fleetKey?: string
  generators?: number
}

/** The fleet that a run asks for, by its options or the environment; undefined where it asks for none. */
export async function fleetOf({ fleet, fleetKey, generators }: FleetArguments): Promise<FleetOfRuns | undefined> {
  const address = fleet ?? process.env['JOLT_FLEET']
  if (address === undefined) return undefined
  const path = fleetKey ?? process.env['JOLT_FLEET_KEY']
  if (path === undefined)
    throw new UsageError('--fleet needs --fleet-key, or JOLT_FLEET_KEY: the file with the key of the coordinator')
  const key = orUsage(() => readCoordinatorKey(path))
  try {
    return new FleetOfRuns(await Fleet.join(address, key), generators)
  } catch (error) {
    throw new UsageError(`--fleet ${error instanceof Error ? error.message : String(error)}`)
  }
}

/** A fleet, for one run after another. */
export class FleetOfRuns {
  constructor(
    private readonly fleet: Fleet,
    private readonly generators: number | undefined,
  ) {}

  /** What the engine is told of the generators of a run. */
  forRun(): Pick<RunOptions, 'generators'> {
    const { fleet, generators } = this
    const asked = async () => ({ fleet, present: await fleet.present(), generators, version: VERSION })
    return { generators: fleetGenerators(asked) }
  }

  close(): Promise<void> {
    return this.fleet.close()
  }
}
