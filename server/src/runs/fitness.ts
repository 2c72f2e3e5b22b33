// Whether a run is what the project has agreed on: only such a run counts for a stage of a pipeline. Whatever it was
// read from is held against the repository, text for text; who may push a branch could else loosen a gate for a while.
import type { RunRow } from '../database/models.js'
import { partsOf } from '../database/run-summary.js'
import { isInnerPath } from '../projects/paths.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { A_KEY, fingerprint, type Texts } from './texts.js'

export interface Fitness {
  /** Why it counts for no stage, in words; null where it does. */
  unfit: string | null
  /** The commit that has these very texts: of the default branch, or the change itself where that is merged. */
  basis: string | null
}

const isKey = (text: string): boolean => /-----BEGIN [A-Z ]*PRIVATE KEY-----/.test(text)

/** May be otherwise later: the change may be merged, with the texts that it was run with. */
const DIFFERS = 'is not that of the default branch'

/**
 * What is to be said of a run when the server first hears of it.
 *
 * @param change - the change under test, of this repository or another
 */
export async function fitnessOf(own: WorkingCopy, change: string | null, texts: Texts): Promise<Fitness> {
  const tip = await own.commits.tip()
  if (tip === undefined) return { unfit: 'the project has no commit yet', basis: null }
  const differing = await differenceAt(own, tip, texts)
  if (differing === undefined) return { unfit: null, basis: tip }
  const unfit = `${differing} ${DIFFERS} (${tip.slice(0, 7)}): merge or pull it, and run again`
  return (await isFitByMerge(own, change, texts)) ? { unfit: null, basis: change } : { unfit, basis: null }
}

/** Asks again of a run whose texts were others: its change may be merged by now. */
export async function askFitnessAgain(own: WorkingCopy, row: RunRow): Promise<void> {
  // Words of a run that is unfit otherwise may hold anything that was reported of it.
  if (row.unfit == null || row.dirty || row.unfit.startsWith('it ran ') || !row.unfit.includes(` ${DIFFERS} (`)) return
  if (row.commit === null || !(await own.commits.isOnDefaultBranch(row.commit))) return
  const { texts } = await partsOf(row.id)
  if (texts != null && (await isFitByMerge(own, row.commit, texts)))
    await row.update({ unfit: null, planCommit: row.commit })
}

/** A change that only came in beside the default branch, as one of a merge, was never what that stood at. */
async function isFitByMerge(own: WorkingCopy, change: string | null, texts: Texts): Promise<boolean> {
  if (change === null || !(await own.commits.isOnDefaultBranch(change))) return false
  return (await differenceAt(own, change, texts)) === undefined
}

/** The first path whose text is another at a commit; undefined where all are the same. */
async function differenceAt(own: WorkingCopy, commit: string, texts: Texts): Promise<string | undefined> {
  for (const [path, known] of Object.entries(texts)) {
    const text = isInnerPath(path) ? await own.commits.readAt(path, commit) : undefined
    const isSame = text !== undefined && (known === A_KEY ? isKey(text) : fingerprint(text) === known)
    if (!isSame) return path.slice(0, 200)
  }
  return undefined
}
