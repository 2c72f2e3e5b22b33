// A server as a process of its own, which can be stopped, paused and killed.
import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { createInterface } from 'node:readline'
import { programOf } from '@jolt-gate/scripts'
import { callerOf, signedIn, type Call } from './place.js'

export interface Served {
  process: ChildProcess
  call: Call
  origin: string
  headers: Record<string, string>
}

const KEY = 'a key for the tests, 32 characters long'

/** Starts the program; what it says on standard error goes to a file descriptor, or nowhere. */
export function startProgram(
  more: readonly string[],
  errorsTo: number | 'pipe' | 'ignore' = 'ignore',
  environment: Record<string, string> = {},
): ChildProcess {
  return spawn(process.execPath, [...programOf('server'), '--demo', ...more], {
    stdio: ['ignore', 'pipe', errorsTo],
    env: { ...process.env, JOLT_GATE_KEY: KEY, JOLT_GATE_LOG: 'info', ...environment },
  })
}

/** Where a program that was started answers. */
export function originOf(child: ChildProcess): Promise<string> {
  return new Promise<string>((resolve, reject) => {
    if (child.stdout === null) throw new Error('its output goes elsewhere')
    createInterface({ input: child.stdout }).on('line', (line) => {
      const found = /answers at (\S+)/.exec(line)?.[1]
      if (found !== undefined) resolve(found)
    })
    child.once('exit', () => {
      reject(new Error('the server did not start'))
    })
  })
}

/** Starts the program, and signs in to its demo. */
export async function serveProgram(more: readonly string[], errorsTo?: number): Promise<Served> {
  const child = startProgram(more, errorsTo)
  const origin = await originOf(child)
  const headers = await signedIn(origin)
  return { process: child, origin, headers, call: callerOf(origin, headers) }
}

export const killed = ({ process: child }: Served) => ended(child, 'SIGKILL')
export const stopped = ({ process: child }: Served) => ended(child, 'SIGTERM')

/** Ends a process, if it has not ended before. */
export async function ended(child: ChildProcess, signal: 'SIGTERM' | 'SIGKILL'): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return
  child.kill(signal)
  await new Promise((resolve) => child.once('exit', resolve))
}

/** The process that makes the run that is under way. */
export function generatorOf({ process: child }: Served): number {
  const found = execFileSync('pgrep', ['-P', String(child.pid), '-f', 'generator-process'], { encoding: 'utf8' })
  return Number(found.trim())
}
