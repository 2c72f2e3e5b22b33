// What Node needs to run TypeScript sources: in tests and while developing nothing is built.
import { createRequire } from 'node:module'
import { pathToFileURL } from 'node:url'

/** Arguments of Node before a `.ts` file. */
export const FROM_SOURCES: readonly string[] = [
  '--import',
  pathToFileURL(createRequire(import.meta.url).resolve('tsx')).href,
  '--conditions=jolt-gate-source',
]
