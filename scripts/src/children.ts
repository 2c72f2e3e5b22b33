// Programs that the start command starts, and stops.
import { createInterface } from 'node:readline'
import { execa } from 'execa'

/** Of what a start command has started. */
export interface Part {
  /** How it ended, in words, no matter who wanted it. */
  ended: Promise<string>
  stop(): Promise<void>
}

export interface Child extends Part {
  origin: string
  /** Of a server without an account yet. */
  setupCode: string | undefined
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
    // It ends with us, however we end: the channel between us closes then.
    ipc: true,
  })
  const name = args.find((arg) => /\.[jt]s$/.test(arg)) ?? 'a program'
  const ended = (async () => {
    const { exitCode, signal } = await child
    return `${name} ended ${signal === undefined ? `with exit code ${String(exitCode)}` : `by ${signal}`}`
  })()
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
      reject(new Error(`${name} ended before it answered`))
    })
  })
  return {
    origin,
    setupCode,
    ended,
    async stop() {
      child.kill('SIGTERM')
      await child
    },
  }
}
