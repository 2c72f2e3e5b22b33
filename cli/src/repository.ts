// The repository around a plan: its root, its files and its commit.
import { execFileSync } from 'node:child_process'
import { existsSync, readFileSync, realpathSync, statSync } from 'node:fs'
import { basename, dirname, isAbsolute, join, relative, resolve, sep } from 'node:path'
import { MOST_PLAN_BYTES } from '@jolt-gate/core'
import { UsageError } from './errors.js'

const MOST_BYTES = 64_000_000
const STANDARD_INPUT = 'input.gate.yaml'
/** What lies here is made by the system as it is read, this process's environment among it. */
const NO_FILES = /^\/(proc|sys|dev)(\/|$)/

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

/** Opens a plan: its text, its path in the repository, and the repository. `-` is standard input, in this folder. */
export function openPlan(file: string): { text: string; path: string; repository: Repository } {
  const full = resolve(file)
  if (file === '-' || isPipe(full)) {
    const root = rootOf(join(process.cwd(), STANDARD_INPUT))
    return { text: readFileSync(file === '-' ? 0 : full, 'utf8'), path: STANDARD_INPUT, repository: around(root) }
  }
  if (!existsSync(full)) throw new UsageError(`${file}: no such file`)
  if (!statSync(full).isFile()) throw new UsageError(`${file}: this is not a file`)
  const real = realpathSync(full)
  if (statSync(real).size > MOST_PLAN_BYTES) throw new UsageError(`${file}: a plan has at most 1 MB`)
  const root = rootOf(real)
  return { text: readFileSync(real, 'utf8'), path: relative(root, real).split(sep).join('/'), repository: around(root) }
}

const around = (root: string): Repository => ({
  root,
  read: (path) => {
    const file = fileInside(root, path)
    return file === undefined ? undefined : readFileSync(file, 'utf8')
  },
  readBytes: (path) => {
    const file = fileInside(root, path)
    return file === undefined ? undefined : readFileSync(file)
  },
})

/** What a shell puts in place of `<(...)`. */
const isPipe = (path: string): boolean => existsSync(path) && statSync(path).isFIFO()

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
    dirty: (git('--no-optional-locks', 'status', '--porcelain') ?? '') !== '',
  }
}

/** A commit in full, where the repository here knows it by what was given; else as it was given. */
export function fullCommit(root: string, given: string): string {
  if (!/^[0-9a-f]{7,64}$/.test(given)) return given
  try {
    const words = ['rev-parse', '--verify', '-q', `${given}^{commit}`]
    return execFileSync('git', words, { cwd: root, encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] }).trim()
  } catch {
    return given
  }
}

/** The nearest folder above with a .git or a targets folder; else the one around `plans`, or the plan's own. */
function rootOf(file: string): string {
  for (let folder = dirname(file); ; folder = dirname(folder)) {
    if (existsSync(join(folder, '.git')) || existsSync(join(folder, 'targets'))) return folder
    if (dirname(folder) === folder) return basename(dirname(file)) === 'plans' ? dirname(dirname(file)) : dirname(file)
  }
}

/** The real path of a file inside the root that is not too large to be read; undefined when there is none. */
function fileInside(root: string, path: string): string | undefined {
  const full = resolve(root, path)
  if (!existsSync(full)) return undefined
  const real = realpathSync(full)
  const inside = relative(root, real)
  if (inside === '' || inside === '..' || inside.startsWith(`..${sep}`) || isAbsolute(inside) || NO_FILES.test(real))
    return undefined
  if (!statSync(real).isFile() || statSync(real).size > MOST_BYTES) return undefined
  return real
}
