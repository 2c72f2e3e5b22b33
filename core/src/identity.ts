// What tool this is, and the ids that it gives. Apart from the rest of core, so that the command starts at once.
import { customAlphabet } from 'nanoid'

/** The version of everything here; `core/test/identity.test.ts` holds it to the manifests. */
export const VERSION = '0.1.0'

/** An id of a run or a rehearsal: ten characters, none of them easily taken for another. */
export const newId: () => string = customAlphabet('0123456789abcdefghijkmnpqrstuvwxyz', 10)

const LEAST_NODE = [20, 19] as const

/**
 * Why a version of Node.js runs none of this; undefined where it does.
 *
 * @param version - as `process.versions.node` has it
 */
export function nodeFault(version: string): string | undefined {
  const [major = 0, minor = 0] = version.split('.').map(Number)
  const [leastMajor, leastMinor] = LEAST_NODE
  if (major > leastMajor || (major === leastMajor && minor >= leastMinor)) return undefined
  return `Node.js ${version} is too old: install ${LEAST_NODE.join('.')} or a later one`
}
