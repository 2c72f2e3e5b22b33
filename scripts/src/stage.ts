// What `npm start` and `npm run dev` both stand on: the database, the stand-in and the demo repository, and a way to
// stop all that was started.
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { startChild, type Child, type Part } from './children.js'
import { ensurePrograms } from './debian.js'
import { prepareDemo, RECORDED_RUNS, sealKeyFile } from './demo.js'
import { startFleet } from './fleet.js'
import { startMariaDb } from './mariadb.js'
import { freePort } from './ports.js'

const FERRIES_PORT = 7710
const STAGING_PORT = 7720

export const root = fileURLToPath(new URL('../..', import.meta.url))

/** Programs that run, stopped in the opposite order of their start. */
export class Running {
  readonly #parts: Part[] = []
  #isStopping = false

  constructor(private readonly onLoss: (how: string) => void) {}

  add<T extends Part>(part: T): T {
    this.#parts.push(part)
    void part.ended.then((how) => {
      if (!this.#isStopping) this.onLoss(how)
    })
    return part
  }

  async stop(): Promise<void> {
    this.#isStopping = true
    for (let part = this.#parts.pop(); part !== undefined; part = this.#parts.pop()) await part.stop()
  }
}

/** Runs a start command: stops all on Ctrl-C, when its terminal is closed, and when a part does not start or ends. */
export async function whileRunning(start: (running: Running) => Promise<void>): Promise<void> {
  const running = new Running((how) => {
    process.stderr.write(`${how}: stopping the rest; see above for its reason, and start again\n`)
    void running.stop().then(() => process.exit(1))
  })
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) {
    process.once(signal, () => {
      if (signal !== 'SIGHUP') process.stdout.write('\nstopping\n')
      void running.stop().then(() => process.exit(0))
    })
  }
  try {
    await start(running)
  } catch (error) {
    process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n`)
    await running.stop()
    process.exit(1)
  }
}

export interface Stage {
  ferries: Child
  /** The repository of the plans, that of the service under test, and the port at which its pipeline deploys it. */
  demo: string
  service: string
  stagingPort: number
  /** The arguments of the server's program, its port and pages aside. */
  serverArgs: string[]
}

/** Starts the database and the stand-in, and makes the demo repository. */
export async function setStage(
  running: Running,
  ferriesProgram: readonly string[],
  command: readonly string[],
): Promise<Stage> {
  const data = process.env['JOLT_GATE_DATA'] ?? join(root, '.data')
  ensurePrograms(['git', 'mariadbd', 'nats-server'])
  mkdirSync(data, { recursive: true })
  const [database, ferries, fleet] = await Promise.all([
    startMariaDb(join(data, 'mariadb'), 'jolt_gate').then((part) => running.add(part)),
    freePort(FERRIES_PORT)
      .then((port) => startChild([...ferriesProgram, '--port', String(port)]))
      .then((part) => running.add(part)),
    startFleet(running, data, command),
  ])
  const demo = join(data, 'larkholm-ferries')
  const stagingPort = await freePort(STAGING_PORT)
  const staging = `http://127.0.0.1:${String(stagingPort)}`
  prepareDemo(join(root, 'demo'), demo, { harbour: ferries.origin, staging })
  return {
    ferries,
    ...{ demo, stagingPort, service: join(data, 'booking-service') },
    serverArgs: [
      ...['--socket', database.socketPath, '--database-user', database.user],
      ...['--project', demo],
      ...['--projects-folder', join(data, 'projects')],
      ...['--runs-folder', join(data, 'runs')],
      ...['--key-file', sealKeyFile(data)],
      ...['--recorded-runs', RECORDED_RUNS],
      ...fleet,
      '--demo',
    ],
  }
}
