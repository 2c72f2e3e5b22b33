// Processes that the start command starts, and stops.
import { spawn } from 'node:child_process'
import { createInterface } from 'node:readline'

export interface Child {
  origin: string
  stop(): Promise<void>
}

/** Starts a Node program that prints the address it answers at. */
export function startChild(args: string[], environment: Record<string, string> = {}): Promise<Child> {
  // A group of its own, so that Ctrl-C reaches it through us, in order.
  const child = spawn(process.execPath, args, {
    stdio: ['ignore', 'pipe', 'inherit'],
    env: { ...process.env, ...environment },
    detached: true,
  })
  const ended = new Promise<void>((resolve) => {
    child.once('exit', () => {
      resolve()
    })
  })
  return new Promise((resolve, reject) => {
    void ended.then(() => {
      reject(new Error(`${args[0] ?? ''} ended before it answered`))
    })
    createInterface({ input: child.stdout }).on('line', (line) => {
      const origin = /answers at (https?:\S+)/.exec(line)?.[1]
      if (origin === undefined) return
      resolve({
        origin,
        stop() {
          child.kill('SIGTERM')
          return ended
        },
      })
    })
  })
}
