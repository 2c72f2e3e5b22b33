// The repository around a plan: its root, its files and its commit.
import { execFileSync } from 'node:child_process'
import { existsSync, readFileSync, realpathSync, statSync } from 'node:fs'
import { basename, dirname, join, relative, resolve, sep } from 'node:path'
import { UsageError } from './errors.js'

const MOST_BYTES = 64_000_000

export interface Repository {
  root: string
  /** Reads a file inside the root; undefined when there is none. */
  read: (path: string) => string | undefined
  readBytes: (path: string) => Uint8Array | undefined
}

export interface Commit {
  commit: string | null
  branch: string | null
  dirty: boolean
}

/** Around a plan that stands in no file. */
export const NO_REPOSITORY: Repository = {
  root: process.cwd(),
  read: () => undefined,
  readBytes: () => undefined,
}

/** Opens a plan: its text, its path in the repository, and the repository. */
export function openPlan(file: string): { text: string; path: string; repository: Repository } {
  const full = resolve(file)
  if (!existsSync(full) || !statSync(full).isFile()) throw new UsageError(`${file}: no such file`)
  const real = realpathSync(full)
  const root = rootOf(real)
  return {
    text: readFileSync(real, 'utf8'),
    path: relative(root, real).split(sep).join('/'),
    repository: {
      root,
      read: (path) => readInside(root, path)?.toString('utf8'),
      readBytes: (path) => readInside(root, path),
    },
  }
}

/** The commit of a repository; nulls where there is no Git. */
export function commitOf(root: string): Commit {
  const git = (...words: string[]) => {
    try {
      return execFileSync('git', words, { cwd: root, encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] }).trim()
    } catch {
      return null
    }
  }
  const commit = git('rev-parse', 'HEAD')
  if (commit === null) return { commit: null, branch: null, dirty: false }
  return {
    commit,
    branch: git('rev-parse', '--abbrev-ref', 'HEAD'),
    dirty: (git('status', '--porcelain') ?? '') !== '',
  }
}

/** The nearest folder above with a .git or a targets folder; else the one around `plans`, or the plan's own. */
function rootOf(file: string): string {
  for (let folder = dirname(file); ; folder = dirname(folder)) {
    if (existsSync(join(folder, '.git')) || existsSync(join(folder, 'targets'))) return folder
    if (dirname(folder) === folder) return basename(dirname(file)) === 'plans' ? dirname(dirname(file)) : dirname(file)
  }
}

function readInside(root: string, path: string): Buffer | undefined {
  const full = resolve(root, path)
  if (!existsSync(full)) return undefined
  const real = realpathSync(full)
  if (!real.startsWith(root + sep) || !statSync(real).isFile() || statSync(real).size > MOST_BYTES) return undefined
  return readFileSync(real)
}
