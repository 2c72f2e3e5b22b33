// Finding a project, with its working copy.
import { ProjectRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { noteHands } from './hands.js'
import { copyOfBranch } from './branch-copies.js'
import { WorkingCopy } from './working-copy.js'

export interface ProjectFound {
  project: ProjectRow
  /** The project's own files; the branch that they stand on is its default branch. */
  own: WorkingCopy
  /** The branch that is looked at. */
  copy: WorkingCopy
}

/**
 * A project by the number in its address.
 *
 * @param branch - the branch to look at; without one it is that of the project's own files
 */
export async function projectOf(id: string, branch?: string): Promise<ProjectFound> {
  const project = /^\d{1,9}$/.test(id) ? await ProjectRow.findByPk(Number(id)) : null
  if (project === null) throw new Problem(404, 'NO_PROJECT', `there is no project ${id}`)
  const own = await WorkingCopy.open(project.path, {
    isProtected: project.isProtected,
    committed: (commit, author) => noteHands(project.id, author.id, [commit]),
  })
  return { project, own, copy: branch === undefined ? own : await copyOfBranch(own, branch) }
}
