// Programs that the start command starts, and stops.
import { execa } from 'execa'

export interface Child {
  origin: string
  stop(): Promise<void>
}

/** Starts a Node program that prints the address it answers at. */
export async function startChild(args: string[], environment: Record<string, string> = {}): Promise<Child> {
  // A group of its own, so that Ctrl-C reaches it through us, in order.
  const child = execa(process.execPath, args, {
    stdin: 'ignore',
    stderr: 'inherit',
    env: environment,
    detached: true,
    reject: false,
    buffer: false,
  })
  for await (const line of child) {
    const origin = /answers at (https?:\S+)/.exec(line)?.[1]
    if (origin === undefined) continue
    child.stdout.resume()
    return {
      origin,
      async stop() {
        child.kill('SIGTERM')
        await child
      },
    }
  }
  throw new Error(`${args.find((arg) => !arg.startsWith('-')) ?? 'the program'} ended before it answered`)
}
