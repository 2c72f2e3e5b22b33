// The fleet of the demo: its bus on loopback and two generators, north and south, in a folder made anew at each start.
import { execFileSync } from 'node:child_process'
import { rmSync } from 'node:fs'
import { join } from 'node:path'
import { execa } from 'execa'
import type { Part } from './children.js'
import { freePort } from './ports.js'

const PORT = 7740
const PLACES = ['north', 'south']
const JOINED_WITHIN_MS = 30_000

/**
 * Starts the bus and its generators.
 *
 * @param command - that runs the command of Jolt Gate
 * @returns the options by which the server asks for them
 */
export async function startFleet(
  running: { add(part: Part): unknown },
  data: string,
  command: readonly string[],
): Promise<string[]> {
  const folder = join(data, 'fleet')
  rmSync(folder, { recursive: true, force: true })
  const port = await freePort(PORT)
  const jolt = (...words: string[]) => execFileSync(process.execPath, [...command, ...words], { stdio: 'ignore' })
  jolt('fleet', 'init', folder, '--port', String(port))
  for (const place of PLACES) jolt('fleet', 'add', `${place}-1`, '--place', place, '--folder', folder)
  const address = `nats://127.0.0.1:${String(port)}`
  running.add(program('nats-server', ['-c', 'nats.conf'], folder).part)
  const joining = PLACES.map((place) => {
    const key = join(folder, `${place}-1.key`)
    const words = ['generate', '--join', address, '--key', key, '--threads', '1', '--allow-loopback']
    const { part, joined } = program(process.execPath, [...command, ...words], folder)
    running.add(part)
    return joined
  })
  await Promise.all(joining)
  return ['--fleet', address, '--fleet-key', join(folder, 'coordinator.key')]
}

/** A program that ends with us, however we end. */
function program(name: string, args: readonly string[], cwd: string) {
  const child = execa('setpriv', ['--pdeathsig', 'TERM', name, ...args], {
    ...{ cwd, stdin: 'ignore', stdout: 'ignore', stderr: 'pipe' },
    ...{ detached: true, reject: false, buffer: false },
  })
  const ended = child.then(({ exitCode, signal }) => {
    const how = signal === undefined ? `with exit code ${String(exitCode)}` : `by ${signal}`
    return `${args.includes('generate') ? 'a generator' : name} ended ${how}`
  })
  const joined = new Promise<void>((resolve, reject) => {
    const limit = setTimeout(() => {
      reject(new Error('a generator has not joined its fleet in time'))
    }, JOINED_WITHIN_MS)
    child.stderr.on('data', (chunk: Buffer) => {
      if (!chunk.includes('has joined')) return
      clearTimeout(limit)
      resolve()
    })
    // The bus joins nothing, and a generator that ends is told of elsewhere.
    void ended.then(() => {
      clearTimeout(limit)
    })
  })
  if (name === 'nats-server') joined.catch(() => undefined)
  return {
    joined,
    part: {
      ended,
      async stop() {
        child.kill('SIGTERM')
        await child
      },
    },
  }
}
