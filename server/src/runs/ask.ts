// What a run needs, read from its project as it stands.
import { previewOf, readPlan } from '@jolt-gate/core'
import { StageRunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { projectOf } from '../projects/project-of.js'
import { isReadablePath } from '../projects/paths.js'
import { refuseForbidden } from '../targets/permits.js'
import type { SecretStore } from '../targets/secrets.js'
import { baselineFor } from './baselines.js'
import { fitnessOf } from './fitness.js'
import { fingerprint } from './texts.js'
import type { AskedRun } from './queue.js'
import { UNCOMMITTED } from './store.js'

/** Reads a plan and its target; throws a problem where that cannot be run. */
export type Asker = (
  project: string,
  planFile: string,
  targetName?: string,
  branch?: string,
  /** The stage that it is run for, which may say what it is held to. */
  stageRunId?: string | null,
) => Promise<AskedRun>

export function askerOf(secrets: SecretStore): Asker {
  return async (id, planFile, targetName, branch, stageRunId) => {
    const stage = stageRunId == null ? null : await StageRunRow.findByPk(stageRunId)
    // Of a change elsewhere, the plans are those of the project's own branch.
    const elsewhere = stage?.sourceId == null ? undefined : { commit: stage.commit, branch: stage.branch }
    const { project, copy, own } = await projectOf(id, elsewhere === undefined ? branch : undefined)
    const text = isReadablePath(planFile) ? await copy.read(planFile) : undefined
    if (text === undefined) throw new Problem(404, 'NO_PLAN', `there is no plan ${planFile} in this project`)
    const texts: Record<string, string> = { [planFile]: fingerprint(text) }
    const files = (path: string) => {
      const found = copy.text(path)
      if (found !== undefined) texts[path] = fingerprint(found)
      return found
    }
    const { plan, target, problems, hasErrors } = readPlan(planFile, text, { files, target: targetName })
    if (hasErrors || target === undefined) {
      const first = problems.find((problem) => problem.severity === 'error')
      const where = `${planFile}:${String(first?.line ?? 1)}`
      throw new Problem(422, 'PLAN', `${where}: ${first?.message ?? 'the plan has no target'}`, { problems })
    }
    const [head, { branch: defaultBranch }] = [await copy.head(), await own.head()]
    const change = elsewhere ?? { commit: head.commit, branch: head.branch }
    const heldTo = stage?.baselineBranch ?? null
    const branches =
      heldTo === null ? { branch: change.branch, defaultBranch } : { branch: heldTo, defaultBranch: heldTo }
    const { unfit, basis } = head.dirty
      ? { unfit: UNCOMMITTED, basis: null }
      : await fitnessOf(own, change.commit, texts)
    return {
      ...{ texts, unfit, planCommit: basis ?? head.commit },
      secrets: await secrets.valuesFor(project.id, target),
      projectId: project.id,
      plan,
      target,
      head,
      change,
      fileBytes: (path) => {
        const bytes = copy.bytes(path)
        // The branch or the file may have gone while the run waited: an empty body would be another load.
        if (bytes === undefined)
          throw new Problem(409, 'GONE', `${path} was there when the run was asked for, and is gone`)
        return bytes
      },
      baseline: () => baselineFor({ projectId: project.id, ...branches }, plan, target),
      permit: () => refuseForbidden(project.id, target, previewOf(plan)),
    }
  }
}
