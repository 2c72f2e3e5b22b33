// What `npm start` and `npm run dev` both stand on: the database, the stand-in and the demo repository, and a way to
// stop all that was started.
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { startChild, type Child } from './children.js'
import { ensurePrograms } from './debian.js'
import { prepareDemo, sealKeyFile } from './demo.js'
import { startMariaDb } from './mariadb.js'
import { freePort } from './ports.js'

const FERRIES_PORT = 7710

export const root = fileURLToPath(new URL('../..', import.meta.url))

/** Programs that run, stopped in the opposite order of their start. */
export class Running {
  readonly #parts: { stop(): Promise<void> }[] = []

  add<T extends { stop(): Promise<void> }>(part: T): T {
    this.#parts.push(part)
    return part
  }

  async stop(): Promise<void> {
    for (let part = this.#parts.pop(); part !== undefined; part = this.#parts.pop()) await part.stop()
  }
}

/** Runs a start command: stops everything on Ctrl-C, and when a part does not start. */
export async function whileRunning(start: (running: Running) => Promise<void>): Promise<void> {
  const running = new Running()
  for (const signal of ['SIGINT', 'SIGTERM'] as const) {
    process.once(signal, () => {
      process.stdout.write('\nstopping\n')
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
  /** The arguments of the server's program, its port and pages aside. */
  serverArgs: string[]
}

/** Starts the database and the stand-in, and makes the demo repository. */
export async function setStage(running: Running, ferriesProgram: readonly string[]): Promise<Stage> {
  const data = process.env['JOLT_GATE_DATA'] ?? join(root, '.data')
  ensurePrograms(['git', 'mariadbd'])
  mkdirSync(data, { recursive: true })
  const [database, ferries] = await Promise.all([
    startMariaDb(join(data, 'mariadb'), 'jolt_gate').then((part) => running.add(part)),
    freePort(FERRIES_PORT)
      .then((port) => startChild([...ferriesProgram, '--port', String(port)]))
      .then((part) => running.add(part)),
  ])
  const demo = join(data, 'larkholm-ferries')
  prepareDemo(join(root, 'demo'), demo, ferries.origin)
  return {
    ferries,
    serverArgs: [
      ...['--socket', database.socketPath],
      ...['--project', demo],
      ...['--projects-folder', join(data, 'projects')],
      ...['--key-file', sealKeyFile(data)],
      '--demo',
    ],
  }
}
