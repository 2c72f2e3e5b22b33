// Programs that the start command starts, and stops.
import { createInterface } from 'node:readline'
import { execa } from 'execa'

export interface Child {
  origin: string
  /** Of a server that nobody has an account on yet. */
  setupCode: string | undefined
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
  // Also when we are stopped before it has answered.
  process.once('exit', () => child.kill('SIGTERM'))
  let setupCode: string | undefined
  const origin = await new Promise<string>((resolve, reject) => {
    const lines = createInterface({ input: child.stdout })
    lines.on('line', (line) => {
      const found = /answers at (https?:\S+)/.exec(line)?.[1]
      setupCode ??= /^setup code .*: (\S+)$/.exec(line)?.[1]
      if (found !== undefined) resolve(found)
    })
    lines.once('close', () => {
      reject(new Error(`${args.find((arg) => /\.[jt]s$/.test(arg)) ?? 'the program'} ended before it answered`))
    })
  })
  return {
    origin,
    setupCode,
    async stop() {
      child.kill('SIGTERM')
      await child
    },
  }
}
