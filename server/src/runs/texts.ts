// The texts that a run was read from, by their fingerprints.
import { createHash } from 'node:crypto'
import type { ReportedRun } from '@jolt-gate/core/api'

/** Fingerprints by path of all that a run was read from. */
export type Texts = Readonly<Record<string, string>>

export const fingerprint = (text: string): string => createHash('sha256').update(text).digest('hex')
/** In place of the fingerprint of a key, which a report never holds. */
export const A_KEY = 'a key'

/** The fingerprints of the texts that a reported run was read from. */
export function textsOf({ plan }: { plan: Pick<ReportedRun['plan'], 'file' | 'text' | 'files'> }): Texts {
  const texts: Record<string, string> = {}
  for (const [path, text] of Object.entries<string>(plan.files))
    texts[path] = text === A_KEY ? A_KEY : fingerprint(text)
  // Last: a report that has the plan among its files, too, is read by its text, and held to that.
  return { ...texts, [plan.file]: fingerprint(plan.text) }
}
