// A private MariaDB: its own data folder, reached over a socket of its own, never the machine's.
import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'

const START_WITHIN_MS = 60_000
/** Of the application. */
const ACCOUNT = 'jolt_gate'
/** Who started a server on a data folder, and which. */
const STARTED = 'jolt-gate-started.json'

export interface MariaDb {
  socketPath: string
  /** The account of the application. */
  user: string
  /** How it ended, in words, no matter who wanted it. */
  ended: Promise<string>
  stop(): Promise<void>
}

/**
 * Starts a server on a data folder, which is made when it is not there, with one empty database.
 *
 * @param port - on loopback beside the socket; by default there is none
 * @param more - options of MariaDB itself
 */
export async function startMariaDb(
  dataFolder: string,
  database: string,
  { port, more = [] }: { port?: number; more?: readonly string[] } = {},
): Promise<MariaDb> {
  const user = userInfo().username
  // A socket's path may have 107 characters; the data folder's may be longer.
  const socketFolder = mkdtempSync(join(tmpdir(), 'jolt-gate-'))
  const socketPath = join(socketFolder, 'm.sock')
  if (!existsSync(join(dataFolder, 'mysql'))) install(dataFolder, user, socketFolder)
  await stopAbandoned(dataFolder)
  const child = spawn(
    programOf('mariadbd'),
    [
      '--no-defaults',
      `--datadir=${dataFolder}`,
      `--user=${user}`,
      ...(port === undefined ? ['--skip-networking'] : ['--bind-address=127.0.0.1', `--port=${String(port)}`]),
      `--socket=${socketPath}`,
      `--pid-file=${join(socketFolder, 'm.pid')}`,
      '--innodb-flush-log-at-trx-commit=2',
      '--character-set-server=utf8mb4',
      ...more,
    ],
    // Each with temporary files of its own: at its start a server deletes those of others in the same place.
    { stdio: 'ignore', detached: true, env: { ...process.env, TMPDIR: socketFolder } },
  )
  writeFileSync(join(dataFolder, STARTED), JSON.stringify({ by: process.pid, server: child.pid }))
  const ended = new Promise<string>((resolve) =>
    child.once('exit', (code, signal) => {
      resolve(`MariaDB ended ${signal === null ? `with exit code ${String(code)}` : `by ${signal}`}`)
    }),
  )
  await untilReady(child, socketPath, user)
  addDatabase(socketPath, database)
  return {
    socketPath,
    user: ACCOUNT,
    ended,
    async stop() {
      child.kill('SIGTERM')
      await ended
      rmSync(join(dataFolder, STARTED), { force: true })
      rmSync(socketFolder, { recursive: true, force: true })
    },
  }
}

/**
 * Adds an empty database to a server that was started here. The application has an account of its own, which may do
 * nothing beyond such databases.
 *
 * @returns that account
 */
export function addDatabase(socketPath: string, database: string): string {
  const user = userInfo().username
  client(socketPath, user, `CREATE DATABASE IF NOT EXISTS \`${database}\` CHARACTER SET utf8mb4`)
  client(socketPath, user, `CREATE USER IF NOT EXISTS '${ACCOUNT}'@'localhost'`)
  client(socketPath, user, `GRANT ALL ON \`${database}\`.* TO '${ACCOUNT}'@'localhost'`)
  return ACCOUNT
}

/** Removes a database of a server that was started here, with all that is in it. */
export function dropDatabase(socketPath: string, database: string): void {
  client(socketPath, userInfo().username, `DROP DATABASE IF EXISTS \`${database}\``)
}

/** Ends a server that the one who started it has left behind, killed perhaps; refuses while they are still there. */
async function stopAbandoned(dataFolder: string): Promise<void> {
  const file = join(dataFolder, STARTED)
  if (!existsSync(file)) return
  const started: unknown = JSON.parse(readFileSync(file, 'utf8'))
  if (typeof started !== 'object' || started === null || !('by' in started) || !('server' in started)) return
  const [by, server] = [Number(started.by), Number(started.server)]
  // Numbers of processes are used again: only a server of this very folder is ended.
  if (!commandOf(server).includes(dataFolder)) return
  if (by !== process.pid && commandOf(by) !== '')
    throw new Error(`another start command uses ${dataFolder} (process ${String(by)}): stop it first`)
  process.kill(server, 'SIGTERM')
  const untilMs = performance.now() + START_WITHIN_MS
  while (commandOf(server).includes(dataFolder)) {
    if (performance.now() > untilMs) throw new Error(`the database left behind in ${dataFolder} does not stop`)
    await sleep(100)
  }
}

/** The command line of a process; empty where there is none. */
function commandOf(pid: number): string {
  try {
    return readFileSync(`/proc/${String(pid)}/cmdline`, 'utf8')
  } catch {
    return ''
  }
}

function install(dataFolder: string, user: string, temporary: string): void {
  mkdirSync(dataFolder, { recursive: true })
  const { status, stderr } = spawnSync(
    programOf('mariadb-install-db'),
    [
      '--no-defaults',
      `--datadir=${dataFolder}`,
      `--user=${user}`,
      '--auth-root-authentication-method=normal',
      '--skip-test-db',
    ],
    { encoding: 'utf8', env: { ...process.env, TMPDIR: temporary } },
  )
  if (status !== 0) throw new Error(`mariadb-install-db failed: ${stderr}`)
}

async function untilReady(child: ChildProcess, socketPath: string, user: string): Promise<void> {
  const untilMs = performance.now() + START_WITHIN_MS
  while (performance.now() < untilMs) {
    if (child.exitCode !== null)
      throw new Error(`MariaDB ended with ${String(child.exitCode)}; is another server using its data folder?`)
    if (
      existsSync(socketPath) &&
      spawnSync('mariadb', ['--no-defaults', `--socket=${socketPath}`, `--user=${user}`, '-e', 'SELECT 1']).status === 0
    )
      return
    await sleep(100)
  }
  child.kill('SIGKILL')
  throw new Error('MariaDB did not start within a minute')
}

function client(socketPath: string, user: string, statement: string): void {
  const { status, stderr } = spawnSync(
    'mariadb',
    ['--no-defaults', `--socket=${socketPath}`, `--user=${user}`, '-e', statement],
    { encoding: 'utf8' },
  )
  if (status !== 0) throw new Error(stderr)
}

function programOf(name: string): string {
  return existsSync(`/usr/sbin/${name}`) ? `/usr/sbin/${name}` : name
}
