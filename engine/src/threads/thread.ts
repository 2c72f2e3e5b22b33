// Worker threads of the engine. Their entries are the files `NAME-thread.ts` of its rooms.
import { Worker, type WorkerOptions } from 'node:worker_threads'
import './linear-matching.js'

/** Set in the bundle of the command, where every entry lies below the part that starts it. */
declare const JOLT_GATE_BUNDLED: true | undefined
const root = typeof JOLT_GATE_BUNDLED === 'undefined' ? '../' : './'

/**
 * Starts a thread, from the bundle, from the built files or, in tests and while developing, from the sources.
 *
 * @param entry - the module to run, as `room/name-thread`
 */
export function startThread(entry: `${string}/${string}-thread`, options: WorkerOptions = {}): Worker {
  if (!import.meta.url.endsWith('.ts')) return new Worker(new URL(`${root}${entry}.js`, import.meta.url), options)
  return new Worker(new URL('./from-sources.mjs', import.meta.url), {
    ...options,
    argv: [entry],
    execArgv: ['--conditions=jolt-gate-source'],
  })
}
