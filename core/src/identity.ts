// What tool this is, and the ids that it gives. Apart from the rest of core, so that the command starts at once.
import { customAlphabet } from 'nanoid'

/** The version of everything here; `core/test/identity.test.ts` holds it to the manifests. */
export const VERSION = '0.1.0'

/** An id of a run or a rehearsal: ten characters, none of them easily taken for another. */
export const newId: () => string = customAlphabet('0123456789abcdefghijkmnpqrstuvwxyz', 10)
