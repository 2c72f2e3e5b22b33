// New projects: a folder that is there, an empty one, or a clone.
import { execFile } from 'node:child_process'
import { existsSync, mkdirSync, writeFileSync } from 'node:fs'
import { basename, join } from 'node:path'
import { promisify } from 'node:util'
import { reachable } from '@jolt-gate/engine'
import { ProjectRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { WorkingCopy } from './working-copy.js'

const run = promisify(execFile)
const CLONE_WITHIN_MS = 120_000

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

/** A clone over HTTP(S) or from a local path, by the system's Git. */
export async function cloneProject(folder: string | undefined, from: string): Promise<ProjectRow> {
  const isWeb = /^https?:\/\/[^\s-][^\s]*$/.test(from)
  if (!isWeb && !(from.startsWith('/') && existsSync(from)))
    throw new Problem(400, 'BAD_SOURCE', 'clone from an http(s) URL or a folder of this machine')
  const place = isWeb ? await placeOf(new URL(from)) : []
  const path = freeFolder(folder, basename(from.replace(/\/+$/, '')).replace(/\.git$/, '') || 'project')
  try {
    await run('git', [...place, 'clone', '-q', '-c', 'core.symlinks=false', '--', from, path], {
      timeout: CLONE_WITHIN_MS,
      env: {
        PATH: process.env['PATH'] ?? '',
        HOME: process.env['HOME'] ?? '',
        GIT_TERMINAL_PROMPT: '0',
        GIT_ALLOW_PROTOCOL: 'http:https:file',
      },
    })
  } catch (error) {
    const said =
      typeof error === 'object' && error !== null && 'stderr' in error ? String(error.stderr).trim() : String(error)
    throw new Problem(502, 'NO_CLONE', `Git could not clone it: ${said.slice(0, 500)}`)
  }
  return openProject(path)
}

/** Holds Git to the address that was looked at, and to no other: its name may lead elsewhere a moment later. */
async function placeOf(url: URL): Promise<string[]> {
  const port = Number(url.port) || (url.protocol === 'https:' ? 443 : 80)
  try {
    const address = await reachable(url.hostname, port)
    const shown = address.includes(':') ? `[${address}]` : address
    return ['-c', 'http.followRedirects=false', '-c', `http.curloptResolve=${url.hostname}:${String(port)}:${shown}`]
  } catch (error) {
    throw new Problem(403, 'NOT_PERMITTED', error instanceof Error ? error.message : String(error))
  }
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
