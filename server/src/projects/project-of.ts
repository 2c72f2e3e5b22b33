// Finding a project, with its working copy.
import { ProjectRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { WorkingCopy } from './working-copy.js'

/** A project by the number in its address. */
export async function projectOf(id: string): Promise<{ project: ProjectRow; copy: WorkingCopy }> {
  const project = /^\d{1,9}$/.test(id) ? await ProjectRow.findByPk(Number(id)) : null
  if (project === null) throw new Problem(404, 'NO_PROJECT', `there is no project ${id}`)
  return { project, copy: await WorkingCopy.open(project.path) }
}
