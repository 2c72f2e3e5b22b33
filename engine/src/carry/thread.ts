// Worker threads of the engine, begun from the built files or, in tests and while developing, from the sources.
import { Worker, type WorkerOptions } from 'node:worker_threads'

/**
 * Starts a thread.
 *
 * @param entry - the module to run, as `./name.js` beside the caller
 * @param from - `import.meta.url` of the caller
 */
export function startThread(entry: string, from: string, options: WorkerOptions = {}): Worker {
  if (!from.endsWith('.ts')) return new Worker(new URL(entry, from), options)
  const source = new URL(entry.replace(/\.js$/, '.ts'), from)
  return new Worker(new URL('./source-thread.mjs', import.meta.url), {
    ...options,
    argv: [source.href],
    execArgv: ['--conditions=jolt-gate-source'],
  })
}
