// Whether a reported run is what its plan says. That a plan is the committed one is not taken from the report.
import type { ReportedRun } from '@jolt-gate/core/api'
import type { WorkingCopy } from '../projects/working-copy.js'
import { A_KEY, fingerprint, fitnessOf, type Fitness, type Texts } from '../runs/fitness.js'
import { UNCOMMITTED } from '../runs/store.js'

/** The fingerprints of the texts that a run was read from. */
export function textsOf({ plan }: { plan: Pick<ReportedRun['plan'], 'file' | 'text' | 'files'> }): Texts {
  const texts: Record<string, string> = {}
  for (const [path, text] of Object.entries<string>(plan.files))
    texts[path] = text === A_KEY ? A_KEY : fingerprint(text)
  // Last: a report that has the plan among its files, too, is read by its text, and held to that.
  return { ...texts, [plan.file]: fingerprint(plan.text) }
}

/** What is to be said of a reported run when it begins. */
export async function reportedFitness(
  own: WorkingCopy,
  { plan: { dirty, scale, set, commit }, change }: ReportedRun,
  texts: Texts,
): Promise<Fitness> {
  const unfit = (words: string): Fitness => ({ unfit: words, basis: null })
  if (dirty) return unfit(UNCOMMITTED)
  if (scale !== 1) return unfit(`it ran at scale ${String(scale)}`)
  const changed = Object.keys(set)
  if (changed.length > 0) return unfit(`it ran with other values: ${changed.join(', ').slice(0, 200)}`)
  if (commit === null) return unfit('its plan is in no Git repository')
  return fitnessOf(own, change.commit, texts)
}
