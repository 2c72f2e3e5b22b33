// New projects: a folder that is there, an empty one, or a clone.
import { execFile } from 'node:child_process'
import { existsSync, mkdirSync, writeFileSync } from 'node:fs'
import { basename, join } from 'node:path'
import { promisify } from 'node:util'
import { ProjectRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { gitOverNetwork, readSource, type Source } from './git-over-network.js'
import { WorkingCopy } from './working-copy.js'

const run = promisify(execFile)

/** Adds a working copy to the projects, or finds it there. */
export async function openProject(path: string): Promise<ProjectRow> {
  const { root } = await WorkingCopy.open(path)
  const [project] = await ProjectRow.findOrCreate({
    where: { path: root },
    defaults: { path: root, name: basename(root) },
  })
  return project
}

/** An empty repository under the server's own folder. */
export async function newProject(
  folder: string | undefined,
  name: string,
  author: { name: string; email: string },
): Promise<ProjectRow> {
  const path = freeFolder(folder, name)
  for (const part of ['plans', 'targets']) mkdirSync(join(path, part), { recursive: true })
  writeFileSync(join(path, 'README.md'), `# ${name}\n\nLoad tests: plans in \`plans/\`, targets in \`targets/\`.\n`)
  await git(path, ['init', '-q', '-b', 'main'])
  await git(path, ['add', '-A'])
  await git(path, [
    '-c',
    `user.name=${author.name}`,
    '-c',
    `user.email=${author.email}`,
    'commit',
    '-q',
    '-m',
    'An empty project',
  ])
  return openProject(path)
}

/** Where it is kept from which repository a project came. */
export interface Remotes {
  refuseUnsealed(source: Source): void
  write(projectId: number, source: Source): Promise<unknown>
}

/** A clone over HTTP(S) or from a local path; where it came from stays its remote. */
export async function cloneProject(folder: string | undefined, from: string, remotes: Remotes): Promise<ProjectRow> {
  const source = readSource(from)
  remotes.refuseUnsealed(source)
  const name = basename(source.url.replace(/\/+$/, '')).replace(/\.git$/, '')
  const path = freeFolder(folder, name === '' ? 'project' : name)
  await gitOverNetwork(source, ['clone', '-q', '-c', 'core.symlinks=false', '--', source.url, path])
  const project = await openProject(path)
  await remotes.write(project.id, source)
  return project
}

function freeFolder(folder: string | undefined, name: string): string {
  if (folder === undefined)
    throw new Problem(409, 'NO_PLACE', 'no folder for projects: start the server with --projects-folder')
  const base =
    name
      .trim()
      .toLowerCase()
      .replaceAll(/[^\w.-]+/g, '-')
      .replaceAll(/^[-.]+|[-.]+$/g, '') || 'project'
  let path = join(folder, base)
  for (let number = 2; existsSync(path); number++) path = join(folder, `${base}-${String(number)}`)
  mkdirSync(folder, { recursive: true })
  return path
}

async function git(path: string, words: string[]): Promise<void> {
  await run('git', words, { cwd: path })
}
