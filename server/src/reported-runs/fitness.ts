// Whether a reported run is what its plan says. That a plan is the committed one is not taken from the report.
import type { WorkingCopy } from '../projects/working-copy.js'
import { fitnessOf, type Fitness } from '../runs/fitness.js'
import { UNCOMMITTED } from '../runs/store.js'
import type { ReadRun } from './reading.js'

/** What is to be said of a reported run when it begins. */
export async function reportedFitness(
  own: WorkingCopy,
  { said: { dirty, scale, set, commit }, change, texts }: ReadRun,
): Promise<Fitness> {
  const unfit = (words: string): Fitness => ({ unfit: words, basis: null })
  if (dirty) return unfit(UNCOMMITTED)
  if (scale !== 1) return unfit(`it ran at scale ${String(scale)}`)
  const changed = Object.keys(set)
  if (changed.length > 0) return unfit(`it ran with other values: ${changed.join(', ').slice(0, 200)}`)
  if (commit === null) return unfit('its plan is in no Git repository')
  return fitnessOf(own, change.commit, texts)
}
