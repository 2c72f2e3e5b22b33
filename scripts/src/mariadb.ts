// A private MariaDB: its own data folder, reached over a socket of its own, never the machine's.
import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'

const START_WITHIN_MS = 60_000

export interface MariaDb {
  socketPath: string
  user: string
  stop(): Promise<void>
}

/**
 * Starts a server on a data folder, which is made when it is not there, with one empty database.
 *
 * @param port - on loopback beside the socket; by default there is none
 */
export async function startMariaDb(dataFolder: string, database: string, port?: number): Promise<MariaDb> {
  const user = userInfo().username
  // A socket's path may have 107 characters; the data folder's may be longer.
  const socketFolder = mkdtempSync(join(tmpdir(), 'jolt-gate-'))
  const socketPath = join(socketFolder, 'm.sock')
  if (!existsSync(join(dataFolder, 'mysql'))) install(dataFolder, user)
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
    ],
    { stdio: 'ignore', detached: true },
  )
  await untilReady(child, socketPath, user)
  client(socketPath, user, `CREATE DATABASE IF NOT EXISTS \`${database}\` CHARACTER SET utf8mb4`)
  return {
    socketPath,
    user,
    async stop() {
      const ended = new Promise((resolve) => child.once('exit', resolve))
      child.kill('SIGTERM')
      await ended
      rmSync(socketFolder, { recursive: true, force: true })
    },
  }
}

function install(dataFolder: string, user: string): void {
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
    { encoding: 'utf8' },
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
