// Whether a reported run is what its plan says: only such a run counts for a stage of a pipeline. That a plan is the
// committed one is not taken from the report; its texts are held against the repository.
import { createHash } from 'node:crypto'
import type { ReportedRun } from '@jolt-gate/core/api'
import type { RunRow } from '../database/models.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { isInnerPath } from '../projects/paths.js'
import { UNCOMMITTED } from '../runs/store.js'
import { partsOf } from '../database/run-summary.js'

/** May be otherwise later, once the commit is pulled or merged: it is asked again. */
const UNKNOWN_COMMIT = 'its plan is at a commit that this project does not have: pull or push it'
const UNMERGED = 'its plan is at a commit that is neither the change nor on the default branch: merge it'

export type Texts = Readonly<Record<string, string>>

const fingerprint = (text: string): string => createHash('sha256').update(text).digest('hex')

/** The fingerprints of the texts that a run was read from. */
export function textsOf({ plan }: ReportedRun): Texts {
  const texts: Record<string, string> = { [plan.file]: fingerprint(plan.text) }
  for (const [path, text] of Object.entries<string>(plan.files)) texts[path] = fingerprint(text)
  return texts
}

/** Why a reported run counts for no stage, in words; null where it does. */
export async function unfitnessOf(own: WorkingCopy, asked: ReportedRun, texts: Texts): Promise<string | null> {
  const { plan, change } = asked
  const { dirty, scale, set, commit } = plan
  if (dirty) return UNCOMMITTED
  if (scale !== 1) return `it ran at scale ${String(scale)}`
  const changed = Object.keys(set)
  if (changed.length > 0) return `it ran with other values: ${changed.join(', ').slice(0, 200)}`
  return commit === null
    ? 'its plan is in no Git repository'
    : differenceAt(own, { commit, change: change.commit }, texts)
}

/** Asks again of a run whose plan's commit was not here, or not merged: it may be by now. */
export async function askFitnessAgain(own: WorkingCopy, row: RunRow): Promise<void> {
  if ((row.unfit !== UNKNOWN_COMMIT && row.unfit !== UNMERGED) || row.planCommit == null) return
  const { texts } = await partsOf(row.id)
  const unfit =
    texts == null ? row.unfit : await differenceAt(own, { commit: row.planCommit, change: row.commit }, texts)
  if (unfit !== row.unfit) await row.update({ unfit })
}

/** A branch of one's own may hold a plan whose gates hold whatever happens: what counts is merged, or under test. */
async function differenceAt(
  own: WorkingCopy,
  { commit, change }: { commit: string; change: string | null },
  texts: Texts,
): Promise<string | null> {
  if (!/^[0-9a-f]{7,64}$/.test(commit) || !(await own.commits.hasCommit(commit))) return UNKNOWN_COMMIT
  if (commit !== change && !(await own.commits.isMerged(commit))) return UNMERGED
  for (const [path, known] of Object.entries(texts)) {
    const text = isInnerPath(path) ? await own.commits.readAt(path, commit) : undefined
    if (text === undefined || fingerprint(text) !== known)
      return `${path} is not that of commit ${commit.slice(0, 7)}`.slice(0, 300)
  }
  return null
}
