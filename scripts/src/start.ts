// `npm start`: database, stand-in, server, demo; everything stops on Ctrl-C.
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { startChild, type Child } from './children.js'
import { ensurePrograms } from './debian.js'
import { DEMO_SECRETS, makeFirstRuns, prepareDemo, sealKeyFile } from './demo.js'
import { startMariaDb, type MariaDb } from './mariadb.js'
import { freePort } from './ports.js'

const PORT = 7700
const FERRIES_PORT = 7710

const root = fileURLToPath(new URL('../..', import.meta.url))
const data = process.env['JOLT_GATE_DATA'] ?? join(root, '.data')
const running: { stop(): Promise<void> }[] = []

ensurePrograms(['git', 'mariadbd'])
mkdirSync(data, { recursive: true })
for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.once(signal, () => {
    process.stdout.write('\nstopping\n')
    void stopAll().then(() => process.exit(0))
  })
}

try {
  const database: MariaDb = started(await startMariaDb(join(data, 'mariadb'), 'jolt_gate'))
  const ferries: Child = started(
    await startChild([join(root, 'stand-ins/ferries/dist/main.js'), '--port', String(await freePort(FERRIES_PORT))]),
  )
  const demo = join(data, 'larkholm-ferries')
  prepareDemo(join(root, 'demo'), demo, ferries.origin)
  const server: Child = started(
    await startChild(
      [
        join(root, 'server/dist/main.js'),
        '--socket',
        database.socketPath,
        '--port',
        String(await freePort(PORT)),
        '--pages',
        join(root, 'web/dist'),
        '--project',
        demo,
        '--projects-folder',
        join(data, 'projects'),
        '--key-file',
        sealKeyFile(data),
        '--demo',
      ],
      DEMO_SECRETS,
    ),
  )
  process.stdout.write(
    `\nJolt Gate: ${server.origin}\nLarkholm Ferries, the stand-in under test: ${ferries.origin}\nCtrl-C stops both.\n`,
  )
  process.stdout.write(
    'The demo makes its first runs now, if it has none; that takes a minute and a half, and can be watched.\n',
  )
  await makeFirstRuns(server.origin)
} catch (error) {
  process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n`)
  await stopAll()
  process.exit(1)
}

function started<T extends { stop(): Promise<void> }>(part: T): T {
  running.push(part)
  return part
}

/** Last started, first stopped. */
async function stopAll(): Promise<void> {
  for (let part = running.pop(); part !== undefined; part = running.pop()) await part.stop()
}
